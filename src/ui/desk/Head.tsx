"use client";
import { App, Button, Dropdown, Input, Modal, Tooltip } from "antd";
import { ChevronDown, Clapperboard, Download, Keyboard, Redo2, Sun, TriangleAlert, Undo2 } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { useState } from "react";
import { UNIT_NAMES } from "../../core/assembly/importSettings";
import { setDisplayUnit } from "../../core/edit/preparationCommands";
import { renameSequence } from "../../core/edit/sequenceCommands";
import { problemOf } from "../../core/text/problem";
import { formatRate } from "../../core/time/time";
import { download } from "../../desk/api";
import { beingMade } from "../../desk/background/publishing";
import { newSequence, openSequence } from "../../desk/documents/otherSequences";
import type { SaveStatus } from "../../desk/documents/saver";
import { look, showStep } from "../../desk/selection/selection";
import { Who } from "../common/Who";
import { Wordmark } from "../common/Wordmark";
import { ProofButton } from "../proof/ProofButton";
import { ReviewButton } from "../review/ReviewButton";
import { saveWaiting } from "./ChangesDialog";
import { useDesk, useDeskState, useSequence } from "./context";
import { Others } from "./Others";

/** How saving goes, in words. */
function savedText({ state, waiting, onlyHere }: SaveStatus): string {
  if (state === "saved") return "All changes saved";
  if (state === "saving" && onlyHere === 0) return "Saving";
  if (onlyHere > 0) return `Not saved; only in this page (${onlyHere})`;
  return `Not reached; kept in this browser (${waiting})`;
}

/** The slim head: where we are, whether it is saved, undo and redo, publish. */
export function Head() {
  const desk = useDesk();
  const name = useDeskState((s) => s.projectName);
  const save = useDeskState((s) => s.save);
  const locked = useDeskState((s) => s.locked);
  const asides = useDeskState((s) => s.asides.length);
  const undoLabel = useDeskState((s) => s.undoLabel);
  const redoLabel = useDeskState((s) => s.redoLabel);
  const projectId = useDeskState((s) => s.projectId);
  const sequence = useSequence();
  const looking = useDeskState((s) => s.focus.kind === "look");
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
      <Tooltip title="Light, ground, backdrop and saved looks">
        <Button
          size="small"
          type={looking ? "primary" : "text"}
          ghost={looking}
          aria-pressed={looking}
          icon={<Sun size={14} />}
          onClick={() => desk.choose(looking ? showStep(desk.state.selected, desk.here()) : look(desk.state.selected))}
        >
          Look
        </Button>
      </Tooltip>
      <SequenceMenu />
      <Tooltip title="Frame rate and picture size">
        <Button size="small" type="text" className="number" onClick={() => desk.set({ dialog: "rate" })}>
          {formatRate(sequence.rate)} fps · {sequence.picture.width}×{sequence.picture.height}
        </Button>
      </Tooltip>
      <div className="grow" />
      {locked !== null && (
        <Tooltip title={locked}>
          <span className="head-locked" role="status">
            Looking only
          </span>
        </Tooltip>
      )}
      {save.onlyHere > 0 && (
        <Tooltip title="The browser's storage is full or switched off, so these changes are lost with this page. A file of them can be taken in again.">
          <Button size="small" danger onClick={() => saveWaiting(desk)}>
            Save to a file
          </Button>
        </Tooltip>
      )}
      {asides > 0 && (
        <Tooltip title="Changes that were not taken; nothing is lost. Look at them, make them again, or save them to a file.">
          <Button size="small" danger type="text" onClick={() => desk.set({ dialog: "changes" })}>
            {asides} set aside
          </Button>
        </Tooltip>
      )}
      <Tooltip title="Changes that are not on the server; files of changes">
        <button
          type="button"
          className={`saved ${save.onlyHere > 0 ? "offline" : save.state}`}
          onClick={() => desk.set({ dialog: "changes" })}
        >
          <span role="status" data-testid="save-state">
            {savedText(save)}
          </span>
        </button>
      </Tooltip>
      <Tooltip title={undoLabel ? `Undo: ${undoLabel} (Ctrl+Z)` : "Nothing to undo"}>
        <Button
          size="small"
          type="text"
          aria-label="Undo"
          disabled={!undoLabel}
          icon={<Undo2 size={16} />}
          onClick={() => desk.undo()}
        />
      </Tooltip>
      <Tooltip title={redoLabel ? `Redo: ${redoLabel} (Ctrl+Shift+Z)` : "Nothing to redo"}>
        <Button
          size="small"
          type="text"
          aria-label="Redo"
          disabled={!redoLabel}
          icon={<Redo2 size={16} />}
          onClick={() => desk.redo()}
        />
      </Tooltip>
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
          save.state === "saved" ? null : "Your last changes are not saved yet. Wait a moment, then try again."
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
  const sequences = useDeskState((s) => s.sequences);
  const sequenceId = useDeskState((s) => s.sequenceId);
  const sequence = useSequence();
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
            ...sequences.map((s) => ({ key: s.id, label: s.body.name })),
            { type: "divider" as const },
            { key: "+new", label: "New sequence" },
            { key: "+rename", label: "Rename this sequence" },
          ],
          onClick: ({ key }) => {
            if (key === "+new") setNaming({ make: true, name: `Sequence ${sequences.length + 1}` });
            else if (key === "+rename") setNaming({ make: false, name: sequence.name });
            else openSequence(desk, key);
          },
        }}
      >
        <Button size="small" type="text" aria-label="Sequence" className="head-sequence">
          <span className="ellipsis">{sequence.name}</span>
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
