"use client";
import { Alert, Button, Modal, Segmented, Select, Spin, Table, Tooltip } from "antd";
import { useEffect, useMemo, useState } from "react";
import { type Change, SURE } from "../../core/revision/match";
import type { ReportLine, RevisionReport } from "../../core/revision/report";
import { problemOf } from "../../core/text/problem";
import { formatLength } from "../../core/units/units";
import { json } from "../../desk/api";
import { applyRevision, type Correction } from "../../desk/documents/revising";
import { useDesk, useDeskState } from "../desk/context";
import { DropFiles } from "../source/DropFiles";
import { JobProgress } from "../source/JobProgress";
import { MeshPreview } from "../source/MeshPreview";
import { MissingFiles } from "../source/MissingFiles";
import { ReadSettings } from "../source/ReadSettings";
import { useBringIn } from "../source/useBringIn";

/**
 * Brings in a revision of the CAD file: read it, look at the report, put matches right, then apply. Nothing changes
 * before.
 */
export function RevisionDialog({ beside = false }: { beside?: boolean }) {
  const desk = useDesk();
  const projectId = useDeskState((s) => s.projectId);
  const present = useDeskState((s) => s.assembly.settings);
  const [job, setJob] = useState<{ id: string; fileName: string } | null>(null);
  const { state, settings, setSettings, start, send, cancel, back } = useBringIn(
    projectId,
    "revision",
    (id, fileName) => setJob({ id, fileName }),
    present,
    beside,
  );
  const missing = desk.pkg.assembly.missing ?? [];
  const close = () => {
    cancel();
    desk.set({ dialog: null });
  };
  if (job) return <Report job={job.id} fileName={job.fileName} onClose={close} />;
  return (
    <Modal
      open
      title={beside ? "Add files that were missing" : "Bring in a revision"}
      width={560}
      footer={null}
      onCancel={close}
      mask={{ closable: false }}
    >
      {state.kind === "busy" && (
        <JobProgress file={state.file} stage={state.stage} share={state.share} onCancel={cancel} />
      )}
      {state.kind === "settings" && (
        <>
          <MeshPreview source={state.source} settings={settings} />
          <ReadSettings value={settings} onChange={setSettings} show={["unit", "up"]} />
          <div className="row">
            <Button onClick={back}>Another file</Button>
            <Button type="primary" onClick={() => void send(state.source)}>
              Read it
            </Button>
          </div>
        </>
      )}
      {state.kind === "missing" && (
        <MissingFiles
          source={state.source}
          problem={state.problem}
          onAdd={(more) => void start([...state.files, ...more])}
          onWithout={() => void send(state.source)}
          onBack={back}
        />
      )}
      {state.kind === "idle" && beside && (
        <>
          <p>These files were not given, so their parts are missing:</p>
          <ul className="missing-files number" aria-label="Missing files">
            {missing.map((name) => (
              <li key={name}>{name}</li>
            ))}
          </ul>
        </>
      )}
      {state.kind === "idle" && (
        <DropFiles
          label={beside ? "Add files" : "Bring in a revision"}
          title={beside ? "The missing files" : "The changed file"}
          small
          onFiles={(files) => void start(files)}
        >
          <p className="soft">
            It is compared with the present one first. Nothing changes before you have seen the report.
          </p>
          {state.problem && (
            <p className="problem" role="alert">
              {state.problem}
            </p>
          )}
        </DropFiles>
      )}
    </Modal>
  );
}

const CHANGE_WORDS: Readonly<Record<Change, string>> = {
  same: "same",
  moved: "moved",
  reshaped: "reshaped",
  renamed: "renamed",
  new: "new",
  gone: "gone",
};
const REASONS: Readonly<Record<NonNullable<ReportLine["reason"]>, string>> = {
  only: "the only one it can be",
  "name-and-place": "same name, same place",
  name: "same name",
  "shape-and-place": "same shape at the same place",
  shape: "same shape",
  children: "same parts inside",
  "by-hand": "matched by hand",
};
type Show = "changed" | "check" | "all";
/** A part that an earlier revision lost and this one does not bring back. */
const stillGone = (l: ReportLine) => l.wasGone && l.next === null;
const changed = (l: ReportLine) => !stillGone(l) && (l.wasGone || l.changes.some((c) => c !== "same"));
const doubtful = (l: ReportLine) => l.old !== null && l.next !== null && l.confidence < SURE;

function Report({ job, fileName, onClose }: { job: string; fileName: string; onClose: () => void }) {
  const desk = useDesk();
  const projectId = useDeskState((s) => s.projectId);
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const [report, setReport] = useState<RevisionReport | null>(null);
  const [corrections, setCorrections] = useState<readonly Correction[]>([]);
  const [problem, setProblem] = useState<string | null>(null);
  const [show, setShow] = useState<Show>("changed");
  const [editing, setEditing] = useState<string | null>(null);
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
  const counts = useMemo(() => {
    const out: Record<Change, number> = { same: 0, moved: 0, reshaped: 0, renamed: 0, new: 0, gone: 0 };
    for (const l of report?.lines ?? []) if (!stillGone(l)) for (const c of l.changes) out[c]++;
    return out;
  }, [report]);
  const lines = report?.lines ?? [];
  const check = lines.filter(doubtful);
  const order = desk.state.sequences.flatMap((s) => s.body.stepOrder);
  const steps = new Map(
    lines
      .flatMap((l) => (changed(l) ? l.steps : []))
      .sort((a, b) => order.indexOf(a.step) - order.indexOf(b.step))
      .map((s) => [s.step, s]),
  );
  const rows = show === "all" ? lines : show === "check" ? check : lines.filter(changed);
  const correct = (old: string, next: string | null) => {
    setEditing(null);
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
  const choices = (l: ReportLine) =>
    lines.flatMap((o) =>
      o.next && o.next.kind === l.old?.kind
        ? [
            {
              value: o.next.key,
              label: `${o.next.name} in ${o.next.owner || "the top"}${o.old && o !== l ? ` (now ${o.old.name})` : ""}`,
            },
          ]
        : [],
    );
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
              {steps.size === 0
                ? "No step is touched."
                : `${steps.size} step${steps.size === 1 ? " is" : "s are"} touched: ${[...steps.values()].map((s) => s.title).join(", ")}.`}
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
          <Table<ReportLine>
            size="small"
            className="report"
            rowKey={(l) => `${l.old?.key ?? ""}>${l.next?.key ?? ""}`}
            dataSource={rows}
            pagination={rows.length > 60 ? { pageSize: 60, showSizeChanger: false, size: "small" } : false}
            scroll={{ y: 320 }}
            locale={{ emptyText: show === "check" ? "Every match is sure." : "Nothing changed." }}
            columns={[
              {
                title: "Part",
                width: 230,
                render: (_, l) =>
                  l.old ? (
                    <span title={l.old.key}>
                      {l.old.name} <span className="soft">{l.old.owner && `in ${l.old.owner}`}</span>
                    </span>
                  ) : (
                    <span className="soft">none</span>
                  ),
              },
              {
                title: "Becomes",
                render: (_, l) => {
                  if (!l.old)
                    return (
                      <span title={l.next?.key}>
                        {l.next?.name} <span className="soft">{l.next?.owner && `in ${l.next.owner}`}</span>
                      </span>
                    );
                  const old = l.old.key;
                  if (editing === old) {
                    return (
                      <Select
                        size="small"
                        autoFocus
                        defaultOpen
                        aria-label={`Match of ${l.old.name}`}
                        style={{ width: "100%" }}
                        showSearch={{ optionFilterProp: "label" }}
                        value={l.next?.key ?? ""}
                        onChange={(v) => correct(old, v === "" ? null : v)}
                        onBlur={() => setEditing(null)}
                        options={[{ value: "", label: "none of them: it is gone" }, ...choices(l)]}
                      />
                    );
                  }
                  return (
                    <Tooltip title="Press to match it with another part">
                      <Button
                        size="small"
                        type="text"
                        className="report-match"
                        aria-label={`Match of ${l.old.name}: ${l.next?.name ?? "gone"}`}
                        onClick={() => setEditing(old)}
                      >
                        {l.next ? (
                          <span className="ellipsis">
                            {l.next.name} <span className="soft">{l.next.owner && `in ${l.next.owner}`}</span>
                          </span>
                        ) : (
                          <span className="problem">gone</span>
                        )}
                      </Button>
                    </Tooltip>
                  );
                },
              },
              {
                title: "Change",
                width: 170,
                render: (_, l) => (
                  <>
                    {stillGone(l)
                      ? "gone since before"
                      : l.wasGone
                        ? "back again"
                        : l.changes.map((c) => CHANGE_WORDS[c]).join(", ")}
                    {l.changes.includes("moved") && l.movedMm > 0 && (
                      <span className="soft number"> {formatLength(l.movedMm, unit, 2)}</span>
                    )}
                  </>
                ),
              },
              {
                title: "Sure",
                width: 70,
                render: (_, l) =>
                  l.old && l.next ? (
                    <Tooltip title={l.reason ? REASONS[l.reason] : ""}>
                      <span className={`number ${doubtful(l) ? "problem" : ""}`}>
                        {Math.round(l.confidence * 100)} %
                      </span>
                    </Tooltip>
                  ) : null,
              },
              {
                title: "Steps",
                width: 190,
                render: (_, l) =>
                  l.steps.length === 0 ? (
                    <span className="soft">none</span>
                  ) : (
                    <span title={l.steps.map((s) => s.title).join(", ")}>{fewTitles(l.steps)}</span>
                  ),
              },
            ]}
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

/** The first titles, and how many more there are; the whole list is told by pointing at it. */
function fewTitles(steps: readonly { title: string }[]): string {
  const first = steps
    .slice(0, 3)
    .map((s) => s.title)
    .join(", ");
  return steps.length > 3 ? `${first} and ${steps.length - 3} more` : first;
}
