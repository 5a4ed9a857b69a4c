"use client";
import { Button, Modal, Spin } from "antd";
import { useEffect, useState } from "react";
import type { ImportSettings } from "../../core/assembly/importSettings";
import { problemOf } from "../../core/text/problem";
import { json } from "../../desk/api";
import { goBackTo } from "../../desk/documents/revising";
import { useDesk, useDeskState } from "../desk/context";

interface Earlier {
  number: number;
  fileName: string;
  settings: ImportSettings;
  source: string;
}

/** The revisions that the project stood on, newest first; any of them can be put in place again. */
export function HistoryDialog() {
  const desk = useDesk();
  const projectId = useDeskState((s) => s.projectId);
  const present = useDeskState((s) => s.assembly.number);
  const [list, setList] = useState<Earlier[] | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => {
    json<{ revisions: Earlier[] }>(`/api/projects/${projectId}/revisions`).then(
      (a) => setList(a.revisions),
      (e: Error) => setProblem(e.message),
    );
  }, [projectId]);
  const back = async (to: number) => {
    desk.set({ dialog: null });
    try {
      await goBackTo(desk, to);
    } catch (e) {
      desk.notify("problem", problemOf(e));
    }
  };
  return (
    <Modal open title="Earlier revisions" width={480} footer={null} onCancel={() => desk.set({ dialog: null })}>
      {problem && <p className="problem">{problem}</p>}
      {!list && !problem && <Spin />}
      <ul className="plain history">
        {list?.map((r) => (
          <li key={r.number} className="row">
            <span className="number soft">{r.number}</span>
            <span className="ellipsis grow">{r.fileName}</span>
            <span className="soft">{r.settings.quality === "normal" ? "" : r.settings.quality}</span>
            {r.number === present ? (
              <span className="soft">in place</span>
            ) : (
              <Button size="small" onClick={() => void back(r.number)}>
                Put in place again
              </Button>
            )}
          </li>
        ))}
      </ul>
    </Modal>
  );
}
