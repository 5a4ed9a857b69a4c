"use client";
import { Alert, Button, Checkbox, Modal } from "antd";
import { useRef, useState } from "react";
import { type ImportSettings, SOURCE_UNITS, type SourceUnit } from "../../core/assembly/importSettings";
import { rescalePreparation, rescaleSequence } from "../../core/edit/rescaleWork";
import { isStop, problemOf } from "../../core/text/problem";
import { formatNumber } from "../../core/units/units";
import { json } from "../../desk/api";
import { followJob, type StageName } from "../../desk/background/followJob";
import { applyRevision } from "../../desk/documents/revising";
import { useDesk, useDeskState } from "../desk/context";
import { JobProgress } from "../source/JobProgress";
import { ReadSettings } from "../source/ReadSettings";

/** Reads the present file again: finer or coarser, in another unit, another way up. The work on it stays. */
export function RereadDialog() {
  const desk = useDesk();
  const projectId = useDeskState((s) => s.projectId);
  const assembly = useDeskState((s) => s.assembly);
  const [settings, setSettings] = useState<ImportSettings>(assembly.settings);
  const [scale, setScale] = useState(true);
  const [busy, setBusy] = useState<{ stage: StageName; share: number | null } | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const abort = useRef<AbortController | null>(null);
  const { warnings, unit } = desk.pkg.assembly;
  const brep = /\.(step|stp|p21)$/i.test(assembly.fileName);
  const now = (unit in SOURCE_UNITS ? unit : "mm") as SourceUnit;
  const factor =
    settings.unit === null
      ? assembly.settings.unit === null
        ? 1
        : null
      : SOURCE_UNITS[settings.unit] / SOURCE_UNITS[now];
  const same = JSON.stringify(settings) === JSON.stringify(assembly.settings);
  const close = () => {
    abort.current?.abort();
    desk.set({ dialog: null });
  };
  const read = async () => {
    const control = new AbortController();
    abort.current = control;
    setProblem(null);
    setBusy({ stage: "read", share: null });
    try {
      const before = now;
      const { job } = await json<{ job: string }>(`/api/projects/${projectId}/reread`, { body: settings });
      await followJob(job, control.signal, (stage, share) => setBusy({ stage, share }));
      await applyRevision(desk, job, [], "Read the file again");
      const after = desk.pkg.assembly.unit as SourceUnit;
      const by = SOURCE_UNITS[after in SOURCE_UNITS ? after : "mm"] / SOURCE_UNITS[before];
      if (scale && by !== 1) {
        const { preparation, sequences } = desk.state;
        desk.editTogether(`Lengths times ${formatNumber(by, 4)}`, [
          { document: preparation.id, command: rescalePreparation(by) as (d: never) => void },
          ...sequences.map((s) => ({
            document: s.id,
            command: rescaleSequence(preparation.body, by) as (d: never) => void,
          })),
        ]);
      }
      desk.set({ dialog: null });
      desk.notify("info", "The file was read again. Everything made for it is in place.");
    } catch (e) {
      setBusy(null);
      setProblem(isStop(e) ? "Cancelled. Nothing was changed." : problemOf(e));
    }
  };
  return (
    <Modal
      open
      title={`Read ${assembly.fileName} again`}
      width={520}
      mask={{ closable: false }}
      onCancel={close}
      footer={
        busy
          ? null
          : [
              <Button key="no" onClick={close}>
                Cancel
              </Button>,
              <Button key="yes" type="primary" disabled={same} onClick={() => void read()}>
                Read again
              </Button>,
            ]
      }
    >
      {busy ? (
        <JobProgress
          file={assembly.fileName}
          stage={busy.stage}
          share={busy.share}
          onCancel={() => abort.current?.abort()}
        />
      ) : (
        <>
          {warnings.map((w) => (
            <Alert key={w} type="warning" title={w} />
          ))}
          <p className="soft">
            Now taken as written in {unit}, {desk.pkg.assembly.up.toUpperCase()} up.
          </p>
          <ReadSettings
            value={settings}
            onChange={setSettings}
            show={brep ? ["unit", "up", "quality"] : ["unit", "up"]}
          />
          {factor !== null && factor !== 1 && (
            <Checkbox checked={scale} onChange={(e) => setScale(e.target.checked)}>
              Pivots, joints, slides and cameras grow along (times {formatNumber(factor, 4)})
            </Checkbox>
          )}
          {problem && (
            <p className="problem" role="alert">
              {problem}
            </p>
          )}
        </>
      )}
    </Modal>
  );
}
