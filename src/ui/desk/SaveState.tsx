"use client";
import { Button, Tooltip } from "antd";
import { Redo2, Undo2 } from "lucide-react";
import type { ReactNode } from "react";
import type { SaveStatus } from "../../desk/documents/saver";
import { saveWaiting } from "./ChangesDialog";
import { useDesk, useDeskState } from "./context";

/** How saving goes, in words. */
function savedText({ state, waiting, onlyHere }: SaveStatus): string {
  if (state === "saved") return "All changes saved";
  if (state === "saving" && onlyHere === 0) return "Saving";
  if (onlyHere > 0) return `Not saved; only in this page (${onlyHere})`;
  return `Not reached; kept in this browser (${waiting})`;
}

/** Whether what was done is saved, and the ways back: what of the head changes with every edit, more than once. */
export function SaveState() {
  return (
    <>
      <Saved />
      <UndoRedo />
    </>
  );
}

function Saved() {
  const desk = useDesk();
  const save = useDeskState((s) => s.save);
  const asides = useDeskState((s) => s.asides.length);
  return (
    <>
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
    </>
  );
}

function UndoRedo() {
  const desk = useDesk();
  const undoLabel = useDeskState((s) => s.undoLabel);
  const redoLabel = useDeskState((s) => s.redoLabel);
  const way = (name: "Undo" | "Redo", label: string | null, keys: string, icon: ReactNode, run: () => void) => (
    <Tooltip title={label ? `${name}: ${label} (${keys})` : `Nothing to ${name.toLowerCase()}`}>
      <Button size="small" type="text" aria-label={name} disabled={!label} icon={icon} onClick={run} />
    </Tooltip>
  );
  return (
    <>
      {way("Undo", undoLabel, "Ctrl+Z", <Undo2 size={16} />, () => desk.undo())}
      {way("Redo", redoLabel, "Ctrl+Shift+Z", <Redo2 size={16} />, () => desk.redo())}
    </>
  );
}
