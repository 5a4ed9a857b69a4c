"use client";
import { Button, Select, Table, Tooltip } from "antd";
import { useState } from "react";
import type { Change } from "../../core/revision/match";
import type { ReportLine } from "../../core/revision/report";
import { formatLength } from "../../core/units/units";
import { useDeskState } from "../desk/context";
import { CHANGE_WORDS, doubtful, stillGone } from "./reportLines";

const REASONS: Readonly<Record<NonNullable<ReportLine["reason"]>, string>> = {
  only: "the only one it can be",
  "name-and-place": "same name, same place",
  name: "same name",
  "shape-and-place": "same shape at the same place",
  shape: "same shape",
  children: "same parts inside",
  "by-hand": "matched by hand",
};

/** The parts of both files side by side, with what became of each; a match can be put right in its cell. */
export function ReportTable({
  rows,
  lines,
  empty,
  onCorrect,
}: {
  rows: readonly ReportLine[];
  /** All parts, also those not shown: what a match can be put right to. */
  lines: readonly ReportLine[];
  empty: string;
  onCorrect: (old: string, next: string | null) => void;
}) {
  return (
    <Table<ReportLine>
      size="small"
      className="report"
      rowKey={(l) => `${l.old?.key ?? ""}>${l.next?.key ?? ""}`}
      dataSource={rows}
      pagination={rows.length > 60 ? { pageSize: 60, showSizeChanger: false, size: "small" } : false}
      scroll={{ y: 320 }}
      locale={{ emptyText: empty }}
      columns={[
        { title: "Part", width: 230, render: (_, l) => <Named end={l.old} /> },
        { title: "Becomes", render: (_, l) => <Becomes line={l} lines={lines} onCorrect={onCorrect} /> },
        { title: "Change", width: 170, render: (_, l) => <Changed line={l} /> },
        { title: "Sure", width: 70, render: (_, l) => <Sure line={l} /> },
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
  );
}

function Named({ end }: { end: ReportLine["old"] }) {
  if (!end) return <span className="soft">none</span>;
  return (
    <span title={end.key}>
      {end.name} <span className="soft">{end.owner && `in ${end.owner}`}</span>
    </span>
  );
}

function Becomes({
  line,
  lines,
  onCorrect,
}: {
  line: ReportLine;
  lines: readonly ReportLine[];
  onCorrect: (old: string, next: string | null) => void;
}) {
  const [editing, setEditing] = useState(false);
  const { old, next } = line;
  if (!old) return <Named end={next} />;
  if (editing) {
    return (
      <Select
        size="small"
        autoFocus
        defaultOpen
        aria-label={`Match of ${old.name}`}
        style={{ width: "100%" }}
        showSearch={{ optionFilterProp: "label" }}
        value={next?.key ?? ""}
        onChange={(v) => {
          setEditing(false);
          onCorrect(old.key, v === "" ? null : v);
        }}
        onBlur={() => setEditing(false)}
        options={[{ value: "", label: "none of them: it is gone" }, ...choices(line, lines)]}
      />
    );
  }
  return (
    <Tooltip title="Press to match it with another part">
      <Button
        size="small"
        type="text"
        className="report-match"
        aria-label={`Match of ${old.name}: ${next?.name ?? "gone"}`}
        onClick={() => setEditing(true)}
      >
        {next ? (
          <span className="ellipsis">
            {next.name} <span className="soft">{next.owner && `in ${next.owner}`}</span>
          </span>
        ) : (
          <span className="problem">gone</span>
        )}
      </Button>
    </Tooltip>
  );
}

/** What a part can be matched with by hand: whatever is of its kind in the new file. */
function choices(line: ReportLine, lines: readonly ReportLine[]): { value: string; label: string }[] {
  return lines.flatMap((o) =>
    o.next && o.next.kind === line.old?.kind
      ? [
          {
            value: o.next.key,
            label: `${o.next.name} in ${o.next.owner || "the top"}${o.old && o !== line ? ` (now ${o.old.name})` : ""}`,
          },
        ]
      : [],
  );
}

function Changed({ line }: { line: ReportLine }) {
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const words = (list: readonly Change[]) => list.map((c) => CHANGE_WORDS[c]).join(", ");
  return (
    <>
      {stillGone(line) ? "gone since before" : line.wasGone ? "back again" : words(line.changes)}
      {line.changes.includes("moved") && line.movedMm > 0 && (
        <span className="soft number"> {formatLength(line.movedMm, unit, 2)}</span>
      )}
    </>
  );
}

function Sure({ line }: { line: ReportLine }) {
  if (!line.old || !line.next) return null;
  return (
    <Tooltip title={line.reason ? REASONS[line.reason] : ""}>
      <span className={`number ${doubtful(line) ? "problem" : ""}`}>{Math.round(line.confidence * 100)} %</span>
    </Tooltip>
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
