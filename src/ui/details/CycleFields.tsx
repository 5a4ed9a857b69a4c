"use client";
import { Button, Tooltip } from "antd";
import { useState } from "react";
import type { Beyond, Move, Target } from "../../core/document/sequence";
import { type Afterwards as AfterwardsOf, afterwardsOf, setAfterwards } from "../../core/edit/timing/afterwards";
import { blockSpan, closeCycle, periodsOf, timesUntil, wholeRepeats } from "../../core/edit/timing/cycles";
import { problemOf } from "../../core/text/problem";
import { formatSecondsShort, ticksPerFrame } from "../../core/time/time";
import { formatNumber } from "../../core/units/units";
import { attempt } from "../../desk/acts/attempt";
import { beyondOf } from "../../desk/acts/curveActions";
import { actionStart, channelName, namesOf } from "../../desk/acts/timingActions";
import { targetName } from "../../desk/names";
import type { Desk } from "../../desk/port";
import { parseOften, shownOften } from "../../desk/typing/often";
import { TimeField } from "../common/TimeField";
import { Afterwards } from "../curves/Afterwards";
import { useDesk, useDeskState, useSequence } from "../desk/context";

const named = (desk: Desk, list: readonly { target: Target; channel: string }[]) =>
  list.map((l) => `${targetName(desk, l.target)}: ${channelName(desk, l.channel)}`).join(", ");

/** What all channels of hand-keyed moves did before, where it is the same. */
function cameFrom(moves: readonly Move[]): Beyond | null {
  const ways = new Set<Beyond>();
  for (const move of moves) {
    if (move.kind !== "hand") continue;
    for (const c of new Set(Object.values(move.keys).flatMap((k) => Object.keys(k.values))))
      ways.add(move.beyond?.[c]?.before ?? "hold");
  }
  return ways.size === 1 ? ([...ways][0] ?? null) : null;
}

/** Repeats moves as one block, closes their cycle, and says when the whole repeats. */
export function CycleFields() {
  const desk = useDesk();
  const sequence = useSequence();
  useDeskState((s) => s.programVersion);
  useDeskState((s) => s.marked);
  const [left, setLeft] = useState<string | null>(null);
  const refs = desk.state.marked;
  const first = refs[0];
  const moves = refs.flatMap((r) => sequence.steps[r.step]?.moves[r.move] ?? []);
  if (!first || moves.length === 0) return null;
  const one = moves[0];
  let own: { t0: number; t1: number };
  try {
    own = blockSpan(sequence, refs);
  } catch {
    return null;
  }
  const repeat = one?.repeat ?? null;
  const block = own.t1 - own.t0;
  const period = Math.max(block, repeat?.period ?? block);
  const hands = refs
    .filter((r) => sequence.steps[r.step]?.moves[r.move]?.kind === "hand")
    .map((r) => ({ ...r, channels: "all" as const }));
  const byHand = hands.length === moves.length;
  const now = afterwardsOf(sequence, refs);
  const again = now !== null && (now.kind === "repeat" || now.kind === "add" || now.kind === "swing");
  const set = (next: AfterwardsOf, each: number | null = repeat?.period ?? null) =>
    attempt(desk, `Afterwards of ${namesOf(desk, refs)}`, () =>
      setAfterwards(
        refs,
        next,
        refs.length === 1 && each === block ? null : (each ?? (refs.length > 1 ? block : null)),
      ),
    );
  const take = (text: string): { error: string } | null => {
    const often = parseOften(text, sequence.rate);
    if ("error" in often) return often;
    const kind = often.way ?? (again ? now.kind : "repeat");
    if (!("until" in often)) {
      set(often.times === 1 ? { kind: "hold", times: null } : { kind, times: often.times });
      return null;
    }
    try {
      const fit = timesUntil(sequence, refs, often.until - actionStart(desk)(first.step), period);
      set({ kind, times: fit.times });
      if (fit.left > 1)
        desk.notify(
          "info",
          `${fit.times} ${fit.times === 1 ? "cycle fits" : "cycles fit"}; ${formatSecondsShort(fit.left)} s are left.`,
        );
    } catch (error) {
      return { error: problemOf(error) };
    }
    return null;
  };
  const frames = period / ticksPerFrame(sequence.rate);
  const all = periodsOf(sequence, first.step);
  const whole = wholeRepeats(all.map((p) => p.period));
  const close = () => {
    try {
      const { command, closed, leftOut } = closeCycle(desk.program, refs, repeat?.period ?? undefined);
      setLeft(leftOut.length > 0 ? named(desk, leftOut) : null);
      if (closed.length === 0) {
        desk.notify(
          leftOut.length > 0 ? "problem" : "info",
          leftOut.length > 0
            ? `Nothing of this cycle can be closed: ${named(desk, leftOut)} is not keyed by hand.`
            : "The cycle is closed already: it ends as it begins, at the same speed.",
        );
        return;
      }
      desk.edit(`Close the cycle of ${namesOf(desk, refs)}`, command);
      desk.notify(
        "info",
        `Closed: ${named(desk, closed)}.${leftOut.length > 0 ? ` Left out: ${named(desk, leftOut)}.` : ""}`,
      );
    } catch (error) {
      desk.notify("problem", problemOf(error));
    }
  };
  return (
    <>
      <h4>Cycle</h4>
      <Afterwards
        {...(byHand ? { before: cameFrom(moves) } : {})}
        after={now?.kind ?? null}
        ways={byHand ? ["hold", "straight", "repeat", "add", "swing"] : ["hold", "repeat", "swing"]}
        onChoose={(side, kind) => {
          if (side === "before") beyondOf(desk, hands, side, kind);
          else set({ kind, times: now?.times ?? null });
        }}
        often={now?.kind === "straight" ? undefined : { text: again ? shownOften(now.times) : "once", take }}
      />
      <div className="form">
        <span>Each cycle</span>
        <TimeField
          ariaLabel="Length of a cycle"
          ticks={period}
          rate={sequence.rate}
          min={block}
          onTake={(t) => set(again ? { ...now, times: now.times ?? 2 } : { kind: "repeat", times: 2 }, t)}
        />
      </div>
      <p className="soft number">
        {Number.isInteger(Math.round(frames * 1e6) / 1e6)
          ? `${formatNumber(frames, 0)} frames a cycle`
          : `${formatNumber(frames, 2)} frames a cycle: it ends between frames`}
        {all.length > 1 &&
          (whole === null
            ? "; the cycles of this step never meet within ten hours"
            : `; all cycles of this step together every ${formatSecondsShort(whole)} s`)}
      </p>
      {left && <p className="problem">Not closed: {left}.</p>}
      <div className="row">
        <Tooltip title="Every hand-keyed channel ends as it begins, in value and speed">
          <Button size="small" onClick={close}>
            Close the cycle
          </Button>
        </Tooltip>
      </div>
    </>
  );
}
