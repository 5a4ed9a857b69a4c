"use client";
import { Button, Select, Tooltip } from "antd";
import { useState } from "react";
import type { Beyond, Move, Target } from "../../core/document/sequence";
import { type Afterwards as AfterwardsOf, afterwardsOf, setAfterwards } from "../../core/edit/timing/afterwards";
import { blockSpan, closeCycle, periodsOf, timesUntil, wholeRepeats } from "../../core/edit/timing/cycles";
import { itemSpan, shiftItems, spanOfItems } from "../../core/edit/timing/items";
import {
  alignItems,
  distributeGaps,
  distributeSpeed,
  reverseItems,
  scaleItems,
  setLengths,
} from "../../core/edit/timing/retime";
import { nth } from "../../core/math/packed";
import { problemOf } from "../../core/text/problem";
import { formatSecondsShort, ticksPerFrame } from "../../core/time/time";
import { formatNumber } from "../../core/units/units";
import { attempt } from "../../desk/acts/attempt";
import { beyondOf } from "../../desk/acts/curveActions";
import {
  actionStart,
  channelName,
  duplicateTimed,
  namesOf,
  nudge,
  removeTimed,
  roomToShift,
  selectedItems,
  shiftWay,
  timed,
} from "../../desk/acts/timingActions";
import { targetName } from "../../desk/names";
import type { Desk } from "../../desk/port";
import { parseOften, shownOften } from "../../desk/typing/often";
import { Field } from "../common/Field";
import { TimeField } from "../common/TimeField";
import { Afterwards } from "../curves/Afterwards";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { FactorField } from "./FactorField";

type Pivot = "start" | "end" | "playhead";

/** What can be done in time with several arrivals and moves at once; every act is typed here too. */
export function TimingDetails() {
  const desk = useDesk();
  const sequence = useSequence();
  useDeskState((s) => s.programVersion);
  const pins = useDeskState((s) => s.pins);
  const marked = useDeskState((s) => s.marked);
  const [pivot, setPivot] = useState<Pivot>("start");
  const ticks = useDeskState((s) => s.ticks);
  const items = selectedItems(desk);
  if (items.length === 0)
    return <p className="soft">Select arrivals or moves in the timeline: with a click, a box, or Ctrl+A.</p>;
  const start = actionStart(desk);
  const span = spanOfItems(sequence, items, start);
  const at = pivot === "start" ? span.t0 : pivot === "end" ? span.t1 : ticks;
  const lengths = new Set(
    items.map((i) => {
      const s = itemSpan(sequence, i);
      return s.t1 - s.t0;
    }),
  );
  const shiftTo = (by: number, what: string) =>
    timed(desk, what, (list) => shiftItems(desk.body(), list, by, shiftWay(desk)));
  const act = (label: string, tip: string, run: () => void) => (
    <Tooltip title={tip}>
      <Button size="small" onClick={run}>
        {label}
      </Button>
    </Tooltip>
  );
  return (
    <>
      <h3>{namesOf(desk, items)}</h3>
      <p className="soft">{desk.state.timing.along ? "What is later in the step comes along." : "Only these move."}</p>
      <div className="form">
        <span>Start</span>
        <TimeField
          ariaLabel="Start of the selection"
          ticks={span.t0}
          rate={sequence.rate}
          onTake={(t) => shiftTo(t - span.t0, "Start of")}
        />
        <span>End</span>
        <TimeField
          ariaLabel="End of the selection"
          ticks={span.t1}
          rate={sequence.rate}
          onTake={(t) => shiftTo(t - span.t1, "End of")}
        />
        <span>Whole length</span>
        <TimeField
          ariaLabel="Length of the selection"
          ticks={span.t1 - span.t0}
          rate={sequence.rate}
          min={1}
          onTake={(t) =>
            timed(desk, "Length of", (list) => scaleItems(list, span.t0, t / Math.max(1, span.t1 - span.t0), start))
          }
        />
        <span>Each lasts</span>
        <TimeField
          ariaLabel="Length of each"
          ticks={lengths.size === 1 ? nth([...lengths], 0) : 0}
          rate={sequence.rate}
          {...(lengths.size === 1 ? {} : { label: "differs" })}
          onTake={(t) => timed(desk, "Length of each of", (list) => setLengths(list, t))}
        />
        <span>Shift by</span>
        <Field
          ariaLabel="Shift by"
          value=""
          suffix="frames"
          parse={(text) => {
            const n = Number(text.replace(",", "."));
            if (!Number.isFinite(n) || text.trim() === "") return { error: "Frames, such as 12 or -5." };
            const room = roomToShift(desk);
            if (n < room)
              return {
                error: `Only ${formatNumber(-room, 2)} ${room === -1 ? "frame is" : "frames are"} left before the step's action begins.`,
              };
            nudge(desk, n);
            return null;
          }}
        />
        <FactorField
          label="Scale time"
          ariaLabel="Scale time by"
          onTake={(f) => timed(desk, "Scale", (list) => scaleItems(list, at, f, start))}
        />
        <span>about</span>
        <Select
          size="small"
          aria-label="Scale about"
          value={pivot}
          onChange={setPivot}
          options={[
            { value: "start", label: "its start" },
            { value: "end", label: "its end" },
            { value: "playhead", label: "the playhead" },
          ]}
        />
      </div>
      <h4>Put in order</h4>
      <div className="row wrap">
        {act("Starts together", "All begin with the first", () =>
          timed(desk, "Align starts of", (l) => alignItems(l, "start", span.t0, start)),
        )}
        {act("Ends together", "All end with the last; arrivals arrive together", () =>
          timed(desk, "Align ends of", (l) => alignItems(l, "end", span.t1, start)),
        )}
        {act("Starts here", "All begin at the playhead", () =>
          timed(desk, "Align starts of", (l) => alignItems(l, "start", desk.state.ticks, start)),
        )}
        {act("Ends here", "All end at the playhead", () =>
          timed(desk, "Align ends of", (l) => alignItems(l, "end", desk.state.ticks, start)),
        )}
        {act("Equal gaps", "The first and the last stay", () =>
          timed(desk, "Spread", (l) => distributeGaps(desk.body(), l, start)),
        )}
        {act("Equal speed", "Arrivals of one part: the same speed from one to the next", () =>
          timed(desk, "Even out the speed of", (l) => distributeSpeed(desk.program, l)),
        )}
        {act("As long as the first", "All take the length of the first selected", () => {
          const first = items[0];
          if (first)
            timed(desk, "Same length for", (l) =>
              setLengths(l, itemSpan(desk.body(), first).t1 - itemSpan(desk.body(), first).t0),
            );
        })}
        {act("Reverse", "The last becomes the first; arrivals run back through their values", () =>
          timed(desk, "Reverse", (l) => reverseItems(desk.body(), l, start)),
        )}
      </div>
      {marked.length > 0 && pins.length === 0 && <CycleFields />}
      <div className="row">
        <Button size="small" onClick={() => duplicateTimed(desk)}>
          Duplicate
        </Button>
        <Button size="small" danger onClick={() => removeTimed(desk)}>
          Remove
        </Button>
      </div>
    </>
  );
}

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
    const kind = again ? now.kind : "repeat";
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
