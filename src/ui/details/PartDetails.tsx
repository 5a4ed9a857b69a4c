"use client";
import { Button, Input, Select, Tooltip } from "antd";
import { ArrowUpFromLine } from "lucide-react";
import { useEffect, useState } from "react";
import type { Target } from "../../core/document/sequence";
import { targetId } from "../../core/document/sequence";
import { formatSecondsShort } from "../../core/time/time";
import { formatNumber, MM_PER_UNIT, parseAngle, parseLength } from "../../core/units/units";
import { Field } from "../common/Field";
import { useDesk, useDeskState } from "../desk/context";
import type { Desk } from "../desk/desk";

/** The selected part: its values at the playhead, typed or read; how still it is; its pivot. */
export function PartDetails({ nodes }: { nodes: readonly number[] }) {
  const desk = useDesk();
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const pending = useDeskState((s) => s.pending);
  const playing = useDeskState((s) => s.playing);
  const version = useDeskState((s) => s.programVersion);
  // While playing the values would change sixty times a second; the details rest.
  useDeskState((s) => (s.playing ? -1 : s.ticks));
  void version;
  const one = nodes.length === 1 ? (nodes[0] as number) : null;
  const node = one === null ? undefined : desk.index.assembly.nodes[one];
  const climbTo = one === null ? -1 : (node?.parent ?? -1);
  if (one === null || !node) {
    return (
      <>
        <h3>{nodes.length} parts selected</h3>
        <ul className="plain">
          {nodes.slice(0, 12).map((n) => (
            <li key={n}>{desk.nameOf(n)}</li>
          ))}
        </ul>
        <p className="soft">Select one of them to move it. Moving several at once comes with groups.</p>
      </>
    );
  }
  const target: Target = { type: "node", key: node.key };
  const tracks = desk.program.nodeTracks.get(one);
  const waiting = pending[targetId(target)];
  const here = waiting !== undefined && desk.isHere(waiting);
  const row = (channel: string, label: string, kind: "length" | "angle" | "factor") => {
    const value = desk.valueOf(target, channel);
    const isPending = here && channel in (waiting?.values ?? {});
    return (
      <Field
        key={channel}
        ariaLabel={`${kind === "length" ? "Slide" : kind === "angle" ? "Turn" : "Opacity"} ${label}`}
        label={label}
        suffix={kind === "length" ? unit : kind === "angle" ? "°" : ""}
        disabled={playing}
        className={isPending ? "is-pending" : ""}
        value={kind === "length" ? formatNumber(value / MM_PER_UNIT[unit]) : formatNumber(value)}
        parse={(text) => {
          const parsed = kind === "length" ? parseLength(text, unit) : kind === "angle" ? parseAngle(text) : parseShare(text);
          if ("error" in parsed) return parsed;
          return desk.pend(target, { [channel]: parsed.value }) ? null : { error: "Another pose of this part is pending elsewhere." };
        }}
      />
    );
  };
  const hasOrientation = tracks ? desk.program.transitions(target).some((t) => t.channel === "orientation") || (here && waiting?.orientation !== undefined) : false;
  return (
    <>
      <div className="row">
        <h3 className="ellipsis" title={node.key}>
          {desk.nameOf(one)}
        </h3>
        <div className="grow" />
        <Tooltip title="Select the sub-assembly that owns this (Alt+Up)">
          <Button size="small" disabled={climbTo < 0} icon={<ArrowUpFromLine size={13} />} onClick={() => desk.climb()}>
            {climbTo >= 0 ? desk.nameOf(climbTo) : "top"}
          </Button>
        </Tooltip>
      </div>
      <Rename desk={desk} nodeKey={node.key} name={desk.nameOf(one)} />
      <p className="soft">
        {node.kind === "assembly" ? `Sub-assembly of ${(desk.index.end[one] as number) - one - 1} parts and groups` : "Part"} · values are departures from home
      </p>
      <h4>Slide</h4>
      <div className="triple">{(["x", "y", "z"] as const).map((a) => row(`slide.${a}`, a.toUpperCase(), "length"))}</div>
      <h4>Turn</h4>
      <div className="triple">{(tracks?.axes ?? []).map((a) => row(`turn.${a.id}`, a.name, "angle"))}</div>
      {hasOrientation && (
        <p className="soft">
          Has a free orientation too.{" "}
          <Button size="small" type="link" onClick={() => desk.pend(target, {}, [0, 0, 0, 1])}>
            Back to none
          </Button>
        </p>
      )}
      <h4>Opacity</h4>
      <div className="triple">{row("opacity", "0–1", "factor")}</div>
      <h4>When it moves</h4>
      <Stillness desk={desk} target={target} />
      <h4>Pivot</h4>
      <Pivot desk={desk} nodeKey={node.key} pivot={tracks?.pivot ?? [0, 0, 0]} />
      <h4>Display unit</h4>
      <Select
        size="small"
        aria-label="Display unit"
        value={unit}
        style={{ width: 90 }}
        onChange={(u) =>
          desk.prepare(`Display unit ${u}`, (draft) => {
            draft.displayUnit = u;
          })
        }
        options={["mm", "cm", "m", "in"].map((u) => ({ value: u, label: u }))}
      />
    </>
  );
}

function parseShare(text: string): { value: number } | { error: string } {
  const value = text.trim().endsWith("%") ? Number(text.replace("%", "")) / 100 : Number(text.replace(",", "."));
  return Number.isFinite(value) && value >= 0 && value <= 1 ? { value } : { error: "Between 0 (gone) and 1 (solid)." };
}

/** When the target is still and when it moves in the step at the playhead, in exact times. */
function Stillness({ desk, target }: { desk: Desk; target: Target }) {
  const step = desk.stepAtPlayhead();
  if (!step) return null;
  const spans = desk.program
    .transitions(target)
    .filter((t) => t.step === step.position)
    .map((t): [number, number] => [t.t0, t.t1]);
  spans.sort((a, b) => a[0] - b[0]);
  const shift = step.action - step.start;
  const lines: { text: string; moving: boolean }[] = [];
  let still = 0;
  const length = step.end - step.start;
  const say = (a: number, b: number) => `${formatSecondsShort(a)} to ${formatSecondsShort(b)} s`;
  for (let i = 0; i < spans.length; ) {
    let [a, b] = spans[i] as [number, number];
    for (i++; i < spans.length && (spans[i] as [number, number])[0] <= b; i++) b = Math.max(b, (spans[i] as [number, number])[1]);
    a += shift;
    b += shift;
    if (a > still) lines.push({ text: `Still ${say(still, a)}, deviation nil`, moving: false });
    lines.push({ text: a === b ? `Snaps at ${formatSecondsShort(b)} s` : `Moves ${say(a, b)}`, moving: true });
    still = b;
  }
  if (still < length) lines.push({ text: `Still ${say(still, length)}, deviation nil`, moving: false });
  return (
    <ul className="plain number stillness" data-testid="stillness">
      {lines.map((l) => (
        <li key={l.text} className={l.moving ? "moving" : ""}>
          {l.text}
        </li>
      ))}
      <li className="soft">times within the step; it starts at {formatSecondsShort(step.start)} s</li>
    </ul>
  );
}

function Pivot({ desk, nodeKey, pivot }: { desk: Desk; nodeKey: string; pivot: readonly number[] }) {
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const own = useDeskState((s) => s.preparation.body.nodes[nodeKey]?.pivot !== undefined);
  return (
    <>
      <div className="triple">
        {["X", "Y", "Z"].map((label, k) => (
          <Field
            key={label}
            ariaLabel={`Pivot ${label}`}
            label={label}
            suffix={unit}
            value={formatNumber((pivot[k] as number) / MM_PER_UNIT[unit])}
            parse={(text) => {
              const parsed = parseLength(text, unit);
              if ("error" in parsed) return parsed;
              desk.prepare(`Pivot of ${nodeKey.split("/").pop()}`, (draft) => {
                const next = [...pivot] as [number, number, number];
                next[k] = parsed.value;
                draft.nodes[nodeKey] = { ...draft.nodes[nodeKey], pivot: next };
              });
              return null;
            }}
          />
        ))}
      </div>
      {own && (
        <Button
          size="small"
          type="link"
          onClick={() =>
            desk.prepare("Pivot back to the middle", (draft) => {
              const { pivot: _, ...rest } = draft.nodes[nodeKey] ?? {};
              if (Object.keys(rest).length === 0) delete draft.nodes[nodeKey];
              else draft.nodes[nodeKey] = rest;
            })
          }
        >
          Back to the middle
        </Button>
      )}
    </>
  );
}

function Rename({ desk, nodeKey, name }: { desk: Desk; nodeKey: string; name: string }) {
  const [text, setText] = useState(name);
  useEffect(() => setText(name), [name]);
  const take = () => {
    const clean = text.trim();
    if (clean === name || clean.length > 200) return;
    const cad = desk.index.assembly.nodes[desk.index.indexOf.get(nodeKey) ?? 0]?.name;
    desk.prepare(`Rename ${name}`, (draft) => {
      const { name: _, ...rest } = draft.nodes[nodeKey] ?? {};
      if (clean !== "" && clean !== cad) draft.nodes[nodeKey] = { ...rest, name: clean };
      else if (Object.keys(rest).length === 0) delete draft.nodes[nodeKey];
      else draft.nodes[nodeKey] = rest;
    });
    if (clean === "") setText(cad ?? "");
  };
  const over = text.trim().length > 200;
  return (
    <>
      <Input
        size="small"
        aria-label="Part name"
        value={text}
        status={over ? "error" : ""}
        onChange={(e) => setText(e.target.value)}
        onBlur={take}
        onPressEnter={take}
        onKeyDown={(e) => e.key === "Escape" && setText(name)}
      />
      {over && (
        <p className="problem" role="alert">
          A name may have at most 200 characters; this has {text.length.toLocaleString("en")}.
        </p>
      )}
    </>
  );
}
