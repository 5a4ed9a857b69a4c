"use client";
import { Button, Modal, Popconfirm } from "antd";
import { FileDown, FileUp } from "lucide-react";
import { useRef } from "react";
import { problemOf } from "../../core/text/problem";
import { dropAside } from "../../desk/documents/asides";
import { CHANGES_EXTENSION, type ChangesFile, readChanges, writeChanges } from "../../desk/documents/changesFile";
import type { Aside, AsideReason } from "../../desk/documents/outbox";
import type { Desk } from "../../desk/port";
import { useDesk, useDeskState } from "./context";

const WHY: Record<AsideReason, string> = {
  refused: "refused by the server",
  conflict: "someone else changed the same",
  gone: "what they belong to is gone",
  behind: "the server has an older state",
};

/** Gives the browser a file to save. */
function saveFile(desk: Desk, documents: ChangesFile["documents"], what: string): void {
  const text = writeChanges({ project: desk.state.projectId, documents });
  const url = URL.createObjectURL(new Blob([text], { type: "application/json" }));
  const link = document.createElement("a");
  link.href = url;
  link.download = `${desk.state.projectName} ${what}${CHANGES_EXTENSION}`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}

/** Saves everything that only this page holds to a file. */
export function saveWaiting(desk: Desk): void {
  const { sequences } = desk.state;
  saveFile(
    desk,
    desk.documents.waiting().map(({ document, edits }) => ({
      id: document,
      name: sequences.find((s) => s.id === document)?.body.name ?? "Preparation",
      edits,
    })),
    "unsaved changes",
  );
}

const counted = (n: number) => `${n} change${n === 1 ? "" : "s"}`;

/** What is not on the server: what waits, what was set aside and why; files of changes in and out. */
export function ChangesDialog() {
  const desk = useDesk();
  const asides = useDeskState((s) => s.asides);
  const save = useDeskState((s) => s.save);
  const input = useRef<HTMLInputElement>(null);
  const close = () => desk.set({ dialog: null });
  const again = (aside: Aside) => {
    const fault = desk.documents.again(aside.document, aside.edits);
    if (fault) desk.notify("problem", `It does not fit what is there now: ${fault}`);
    else void dropAside(desk, aside.id);
  };
  const takeIn = async (file: File) => {
    try {
      const { documents } = readChanges(await file.text());
      let made = 0;
      const faults: string[] = [];
      for (const d of documents) {
        const fault = desk.documents.again(d.id, d.edits);
        if (fault) faults.push(`${d.name}: ${fault}`);
        else made += d.edits.length;
      }
      if (faults.length > 0) desk.notify("problem", `Not everything fits what is there now. ${faults.join(" ")}`);
      else desk.notify("info", `${counted(made)} taken in from ${file.name}.`);
    } catch (error) {
      desk.notify("problem", problemOf(error));
    }
  };
  return (
    <Modal title="Changes that are not on the server" open onCancel={close} footer={null} width={560}>
      <p className="soft">
        {save.waiting === 0
          ? "Everything that was done here is saved."
          : `${counted(save.waiting)} ${save.waiting === 1 ? "waits" : "wait"} to be saved${save.onlyHere > 0 ? `; ${save.onlyHere} of them ${save.onlyHere === 1 ? "is" : "are"} in this page only, since the browser's storage is full or switched off` : ", and are kept in this browser meanwhile"}.`}
      </p>
      <div className="row">
        <Button
          size="small"
          icon={<FileDown size={14} />}
          disabled={save.waiting === 0}
          onClick={() => saveWaiting(desk)}
        >
          Save what waits to a file
        </Button>
        <Button size="small" icon={<FileUp size={14} />} onClick={() => input.current?.click()}>
          Take in a file of changes
        </Button>
        <input
          ref={input}
          type="file"
          accept=".json"
          hidden
          aria-label="File of changes"
          onChange={(e) => {
            const chosen = e.target.files?.[0];
            e.target.value = "";
            if (chosen) void takeIn(chosen);
          }}
        />
      </div>
      <h3 className="aside-title">Set aside</h3>
      {asides.length === 0 && <p className="soft">Nothing is set aside.</p>}
      <ul className="asides">
        {asides.map((a) => (
          <li key={a.id}>
            <div>
              <b>{a.name}</b> · <span className="number">{a.edits.length}</span>{" "}
              {a.edits.length === 1 ? "change" : "changes"}, {WHY[a.reason]},{" "}
              <span className="number">
                {new Date(a.at).toLocaleString("en-GB", {
                  day: "numeric",
                  month: "short",
                  hour: "2-digit",
                  minute: "2-digit",
                })}
              </span>
            </div>
            <div className="soft aside-labels" title={a.edits.map((e) => e.label).join("\n")}>
              {a.edits
                .slice(0, 3)
                .map((e) => e.label)
                .join(" · ")}
              {a.edits.length > 3 ? ` · and ${a.edits.length - 3} more` : ""}
            </div>
            {a.reason === "refused" && <div className="problem">{a.message}</div>}
            <div className="row">
              <Button size="small" type="primary" ghost onClick={() => again(a)}>
                Make again on what is there now
              </Button>
              <Button
                size="small"
                onClick={() => saveFile(desk, [{ id: a.document, name: a.name, edits: a.edits }], "changes set aside")}
              >
                Save to a file
              </Button>
              <Popconfirm
                title="Drop these changes for good?"
                okText="Drop"
                onConfirm={() => void dropAside(desk, a.id)}
              >
                <Button size="small" danger>
                  Drop
                </Button>
              </Popconfirm>
            </div>
          </li>
        ))}
      </ul>
    </Modal>
  );
}
