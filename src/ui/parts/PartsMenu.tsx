"use client";
import { Dropdown, type MenuProps } from "antd";
import { openMoves } from "../../desk/acts/moveActions";
import {
  allHave,
  beginRename,
  copyFinish,
  copyPart,
  dissolve,
  everything,
  giveFinish,
  groupSelection,
  isCopy,
  joinGroup,
  leaveGroups,
  onlyThese,
  pasteFinish,
  removeCopyOf,
  selectionName,
  selectSimilar,
  toggleFlag,
} from "../../desk/acts/partActions";
import { selectedKeys, targetOf } from "../../desk/selection/selecting";
import { useDesk, useDeskState } from "../desk/context";

/** The context menu of the selected parts, wherever it was asked for: tree, stage, or keyboard. */
export function PartsMenu() {
  const desk = useDesk();
  const at = useDeskState((s) => s.menu);
  const groups = useDeskState((s) => s.preparation.body.groups);
  const selection = useDeskState((s) => s.selection);
  const group = useDeskState((s) => s.group);
  useDeskState((s) => s.preparation.body.nodes);
  if (!at) return null;
  const any = selection.length > 0;
  const grouped = selectedKeys(desk).some((k) => Object.values(groups).some((g) => g.members.includes(k)));
  const entry = (key: string, label: string, hint = "", more: object = {}) => ({
    key,
    label: (
      <span className="menu-line">
        {label}
        <span className="soft">{hint}</span>
      </span>
    ),
    ...more,
  });
  const items: MenuProps["items"] = any
    ? [
        { key: "title", type: "group", label: selectionName(desk) },
        entry("move", "Add a move …", "Alt+M"),
        { type: "divider" },
        entry("rename", "Rename", "F2", { disabled: targetOf(desk) === null }),
        entry("hide", allHave(desk, "hidden") ? "Show" : "Hide", "Ctrl+Shift+H"),
        entry("only", "Show only this", "Ctrl+Shift+O"),
        entry("ghost", allHave(desk, "ghost") ? "Make solid" : "See through", "Ctrl+Shift+S"),
        entry("lock", allHave(desk, "locked") ? "Unlock" : "Lock (stops moving)", "Ctrl+Shift+L"),
        { type: "divider" },
        ...(group === null
          ? [entry("group", "Group", "Ctrl+G")]
          : [entry("dissolve", "Dissolve the group", "Ctrl+Shift+G")]),
        ...(group === null && Object.keys(groups).length > 0
          ? [
              {
                key: "join",
                label: "Put into",
                children: Object.values(groups).map((g) => ({ key: `join:${g.id}`, label: g.name })),
              },
            ]
          : []),
        ...(group === null && grouped ? [entry("leave", "Take out of the group")] : []),
        { type: "divider" },
        {
          key: "like",
          label: "Select alike",
          children: [
            { key: "like:shape", label: "Same shape" },
            { key: "like:size", label: "Like size" },
            { key: "like:finish", label: "Same finish" },
            { key: "like:owner", label: "In the same sub-assembly" },
          ],
        },
        { type: "divider" },
        entry("copy-finish", "Copy finish", "Alt+C"),
        entry("paste-finish", "Give copied finish", "Alt+V"),
        entry("cad-finish", "Back to the CAD finish"),
        { type: "divider" },
        isCopy(desk)
          ? entry("uncopy", "Remove this copy")
          : entry("copy", "Make a copy of it", "", { disabled: targetOf(desk)?.type !== "node" }),
        entry("fit", "Fit the view to it", "Ctrl+End"),
        entry("all", "Show everything", "Ctrl+Shift+E"),
      ]
    : [entry("all", "Show everything", "Ctrl+Shift+E"), entry("fit", "Fit the view", "Ctrl+Home")];
  const run = (key: string) => {
    const [head, tail] = key.split(":") as [string, string | undefined];
    const acts: Record<string, () => void> = {
      move: () => openMoves(desk),
      copy: () => copyPart(desk),
      uncopy: () => removeCopyOf(desk),
      rename: () => beginRename(desk),
      hide: () => toggleFlag(desk, "hidden"),
      only: () => onlyThese(desk),
      ghost: () => toggleFlag(desk, "ghost"),
      lock: () => toggleFlag(desk, "locked"),
      group: () => groupSelection(desk),
      dissolve: () => dissolve(desk),
      join: () => tail && joinGroup(desk, tail, selectedKeys(desk)),
      leave: () => leaveGroups(desk, selectedKeys(desk)),
      like: () => tail && selectSimilar(desk, tail as "shape"),
      "copy-finish": () => copyFinish(desk),
      "paste-finish": () => pasteFinish(desk),
      "cad-finish": () => giveFinish(desk, null),
      fit: () => desk.view?.cameras.fit(desk.state.selection),
      all: () => everything(desk),
    };
    desk.set({ menu: null });
    acts[head]?.();
  };
  return (
    <Dropdown
      open
      key={`${at.x},${at.y}`}
      trigger={["click"]}
      autoFocus
      onOpenChange={(open) => !open && desk.set({ menu: null })}
      menu={{ items, onClick: ({ key }) => run(key), className: "parts-menu" }}
    >
      <span style={{ position: "fixed", left: at.x, top: at.y, width: 1, height: 1 }} />
    </Dropdown>
  );
}
