"use client";
import { Alert, Button, Modal, Segmented, Spin } from "antd";
import { useEffect, useMemo, useState } from "react";
import type { Change } from "../../core/revision/match";
import type { RevisionReport } from "../../core/revision/report";
import { problemOf } from "../../core/text/problem";
import { json } from "../../desk/api";
import { applyRevision, type Correction } from "../../desk/documents/revising";
import { useDesk, useDeskState } from "../desk/context";
import { ReportTable } from "./ReportTable";
import { CHANGE_WORDS, changed, countChanges, doubtful, type Show, touchedSteps } from "./reportLines";

const NONE: RevisionReport["lines"] = [];

/** What a revision changes, part by part; nothing is applied before the user says so. */
export function Report({ job, fileName, onClose }: { job: string; fileName: string; onClose: () => void }) {
  const desk = useDesk();
  const projectId = useDeskState((s) => s.projectId);
  const [report, setReport] = useState<RevisionReport | null>(null);
  const [corrections, setCorrections] = useState<readonly Correction[]>([]);
  const [problem, setProblem] = useState<string | null>(null);
  const [show, setShow] = useState<Show>("changed");
  const [busy, setBusy] = useState(false);
  useEffect(() => {
    let live = true;
    json<RevisionReport>(`/api/projects/${projectId}/revisions/candidate`, { body: { job, corrections } }).then(
      (r) => live && setReport(r),
      (e: Error) => live && setProblem(e.message),
    );
    return () => {
      live = false;
    };
  }, [job, corrections, projectId]);
  const lines = report?.lines ?? NONE;
  const counts = useMemo(() => countChanges(lines), [lines]);
  const check = lines.filter(doubtful);
  const steps = touchedSteps(
    lines,
    desk.state.sequences.flatMap((s) => s.body.stepOrder),
  );
  const rows = show === "all" ? lines : show === "check" ? check : lines.filter(changed);
  const correct = (old: string, next: string | null) => {
    setCorrections((list) => [
      ...list.filter((c) => c.old !== old && (next === null || c.next !== next)),
      { old, next },
    ]);
  };
  const apply = async () => {
    setBusy(true);
    setProblem(null);
    try {
      await applyRevision(desk, job, corrections, `Revision: ${fileName}`);
      desk.notify("info", `${fileName} is in place. Undo brings the earlier file back.`);
      onClose();
    } catch (e) {
      setProblem(problemOf(e));
      setBusy(false);
    }
  };
  return (
    <Modal
      open
      title={`Revision: ${fileName}`}
      width={980}
      onCancel={onClose}
      mask={{ closable: false }}
      footer={[
        <Button key="no" onClick={onClose}>
          Change nothing
        </Button>,
        <Button key="yes" type="primary" loading={busy} disabled={!report} onClick={() => void apply()}>
          Apply the revision
        </Button>,
      ]}
    >
      {problem && <Alert type="error" showIcon title={problem} />}
      {!report && !problem && (
        <Spin description="Comparing the files">
          <div className="report-wait" />
        </Spin>
      )}
      {report && (
        <>
          <p className="report-sum" data-testid="report-sum">
            {(Object.keys(CHANGE_WORDS) as Change[]).map((c) => (
              <span key={c} className={`count ${counts[c] === 0 || c === "same" ? "" : c}`}>
                {counts[c]} {CHANGE_WORDS[c]}
              </span>
            ))}
            <span className="soft">
              {steps.length === 0
                ? "No step is touched."
                : `${steps.length} step${steps.length === 1 ? " is" : "s are"} touched: ${steps.join(", ")}.`}
            </span>
          </p>
          {report.warnings.slice(0, 3).map((w) => (
            <Alert key={w} type="warning" title={w} />
          ))}
          <Segmented
            size="small"
            value={show}
            onChange={(v) => setShow(v as Show)}
            options={[
              { value: "changed", label: `Changed (${lines.filter(changed).length})` },
              { value: "check", label: `Worth a look (${check.length})` },
              { value: "all", label: `All (${lines.length})` },
            ]}
          />
          <ReportTable
            rows={rows}
            lines={lines}
            empty={show === "check" ? "Every match is sure." : "Nothing changed."}
            onCorrect={correct}
          />
          {counts.gone > 0 && (
            <p className="soft">
              What is gone keeps its work: it is marked in the parts tree and the timeline, and connects again when the
              part comes back.
            </p>
          )}
        </>
      )}
    </Modal>
  );
}
