"use client";
import { App, Button, Dropdown, Input, Modal, Tooltip } from "antd";
import { ChevronDown, Clapperboard, Download, Keyboard, Sun, TriangleAlert } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { UNIT_NAMES } from "../../core/assembly/importSettings";
import { setDisplayUnit } from "../../core/edit/preparationCommands";
import { renameSequence } from "../../core/edit/sequenceCommands";
import { problemOf } from "../../core/text/problem";
import { formatRate } from "../../core/time/time";
import { download } from "../../desk/api";
import { beingMade } from "../../desk/background/publishing";
import { newSequence, openSequence } from "../../desk/documents/otherSequences";
import { look, showStep } from "../../desk/selection/selection";
import type { DeskState } from "../../desk/state";
import { Toggle } from "../common/Toggle";
import { Who } from "../common/Who";
import { Wordmark } from "../common/Wordmark";
import { ProofButton } from "../proof/ProofButton";
import { ReviewButton } from "../review/ReviewButton";
import { useDesk, useDeskState, useOfSequence } from "./context";
import { Others } from "./Others";
import { SaveState } from "./SaveState";

/** The slim head: where we are, whether it is saved, undo and redo, publish. */
export function Head() {
  const desk = useDesk();
  const name = useDeskState((s) => s.projectName);
  const locked = useDeskState((s) => s.locked);
  const projectId = useDeskState((s) => s.projectId);
  const { modal } = App.useApp();
  const router = useRouter();
  return (
    <header className="head">
      <Link
        href="/"
        className="head-home"
        aria-label="All projects"
        onNavigate={(e) => {
          const left = beingMade(desk);
          if (left === 0) return;
          e.preventDefault();
          modal.confirm({
            title: left === 1 ? "An output is still being made" : `${left} outputs are still being made`,
            content: "Leaving the project stops that; what is made already should be downloaded first.",
            okText: "Leave and stop",
            cancelText: "Stay",
            onOk: () => router.push("/"),
          });
        }}
      >
        <Wordmark small />
      </Link>
      <span className="head-project" title={name}>
        {name}
      </span>
      <AssemblyMenu />
      <LookButton />
      <SequenceMenu />
      <RateButton />
      <div className="grow" />
      {locked !== null && (
        <Tooltip title={locked}>
          <span className="head-locked" role="status">
            Looking only
          </span>
        </Tooltip>
      )}
      <SaveState />
      <Tooltip title="Keyboard shortcuts (F1)">
        <Button
          size="small"
          type="text"
          aria-label="Keyboard shortcuts"
          icon={<Keyboard size={16} />}
          onClick={() => desk.set({ dialog: "shortcuts" })}
        />
      </Tooltip>
      <Tooltip title="Download the project as one file">
        <Button
          size="small"
          type="text"
          aria-label="Download project file"
          icon={<Download size={16} />}
          onClick={() =>
            void download(`/api/projects/${projectId}/file`).catch((error: unknown) =>
              desk.notify("problem", `The project file cannot be downloaded: ${problemOf(error)}`),
            )
          }
        />
      </Tooltip>
      <Others />
      <Who
        small
        waiting={() =>
          desk.state.save.state === "saved"
            ? null
            : "Your last changes are not saved yet. Wait a moment, then try again."
        }
      />
      <ReviewButton />
      <ProofButton />
      <Button
        size="small"
        type="primary"
        icon={<Clapperboard size={14} />}
        onClick={() => desk.set({ dialog: "publish" })}
      >
        Publish
      </Button>
    </header>
  );
}

/** Opens the light and the ground of the film; closes them again. */
function LookButton() {
  const desk = useDesk();
  const looking = useDeskState((s) => s.focus.kind === "look");
  return (
    <Toggle
      on={looking}
      title="Light, ground, backdrop and saved looks"
      icon={<Sun size={14} />}
      onClick={() => desk.choose(looking ? showStep(desk.state.selected, desk.here()) : look(desk.state.selected))}
    >
      Look
    </Toggle>
  );
}

function RateButton() {
  const desk = useDesk();
  const { rate, picture } = useOfSequence((q) => ({ rate: q.rate, picture: q.picture }));
  return (
    <Tooltip title="Frame rate and picture size">
      <Button size="small" type="text" className="number" onClick={() => desk.set({ dialog: "rate" })}>
        {formatRate(rate)} fps · {picture.width}×{picture.height}
      </Button>
    </Tooltip>
  );
}

/** The CAD file behind the project: a revision of it, how it is read, and the unit that lengths are shown in. */
function AssemblyMenu() {
  const desk = useDesk();
  const assembly = useDeskState((s) => s.assembly);
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const warnings = desk.pkg.assembly.warnings.length;
  const missing = desk.pkg.assembly.missing?.length ?? 0;
  return (
    <Dropdown
      trigger={["click"]}
      menu={{
        selectedKeys: [`unit:${unit}`],
        items: [
          {
            key: "file",
            type: "group",
            label: `${assembly.fileName}${assembly.number > 1 ? ` · revision ${assembly.number}` : ""}`,
          },
          { key: "revision", label: "Bring in a revision" },
          ...(missing > 0 ? [{ key: "add-files", label: `Add files that were missing (${missing})` }] : []),
          { key: "reread", label: "Read the file again: unit, up, fineness" },
          { key: "history", label: "Earlier revisions", disabled: assembly.number < 2 },
          { type: "divider" },
          {
            key: "unit",
            type: "group",
            label: "Lengths are shown in",
            children: (["mm", "cm", "m", "in"] as const).map((u) => ({ key: `unit:${u}`, label: UNIT_NAMES[u] })),
          },
          ...(warnings > 0
            ? [{ type: "divider" as const }, { key: "warnings", label: `What the reader noted (${warnings})` }]
            : []),
        ],
        onClick: ({ key }) => {
          if (key === "revision" || key === "reread" || key === "history" || key === "add-files")
            desk.set({ dialog: key });
          if (key === "warnings") desk.set({ dialog: "reread" });
          if (key.startsWith("unit:"))
            desk.prepare(`Lengths in ${key.slice(5)}`, setDisplayUnit(key.slice(5) as typeof unit));
        },
      }}
    >
      <Button
        size="small"
        type="text"
        {...(warnings > 0
          ? { title: `The reader noted ${warnings} thing${warnings === 1 ? "" : "s"} about this file` }
          : {})}
      >
        {warnings > 0 && <TriangleAlert size={13} className="noted" aria-hidden />}
        Assembly
        <ChevronDown size={13} />
      </Button>
    </Dropdown>
  );
}

/** Which sequence is open; opens another, makes one, renames this one. */
function SequenceMenu() {
  const desk = useDesk();
  const ids = useDeskState(useShallow((s: DeskState) => s.sequences.map((q) => q.id)));
  const names = useDeskState(useShallow((s: DeskState) => s.sequences.map((q) => q.body.name)));
  const sequenceId = useDeskState((s) => s.sequenceId);
  const own = useOfSequence((q) => q.name);
  const [naming, setNaming] = useState<{ make: boolean; name: string } | null>(null);
  const take = async () => {
    const name = naming?.name.trim();
    if (!naming || !name) return;
    if (naming.make) await newSequence(desk, name);
    else desk.edit(`Rename sequence to "${name}"`.slice(0, 250), renameSequence(name));
    setNaming(null);
  };
  return (
    <>
      <Dropdown
        trigger={["click"]}
        menu={{
          selectedKeys: [sequenceId],
          items: [
            ...ids.map((key, i) => ({ key, label: names[i] ?? "" })),
            { type: "divider" as const },
            { key: "+new", label: "New sequence" },
            { key: "+rename", label: "Rename this sequence" },
          ],
          onClick: ({ key }) => {
            if (key === "+new") setNaming({ make: true, name: `Sequence ${ids.length + 1}` });
            else if (key === "+rename") setNaming({ make: false, name: own });
            else openSequence(desk, key);
          },
        }}
      >
        <Button size="small" type="text" aria-label="Sequence" className="head-sequence">
          <span className="ellipsis">{own}</span>
          <ChevronDown size={13} />
        </Button>
      </Dropdown>
      <Modal
        title={naming?.make ? "New sequence" : "Rename sequence"}
        open={naming !== null}
        okText={naming?.make ? "Make sequence" : "Rename"}
        onCancel={() => setNaming(null)}
        onOk={take}
        okButtonProps={{ disabled: !naming?.name.trim() }}
        destroyOnHidden
      >
        <Input
          autoFocus
          aria-label="Sequence name"
          maxLength={200}
          value={naming?.name ?? ""}
          onChange={(e) => setNaming((n) => n && { ...n, name: e.target.value })}
          onPressEnter={take}
        />
      </Modal>
    </>
  );
}
