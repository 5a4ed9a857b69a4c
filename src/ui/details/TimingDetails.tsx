"use client";
import { Button, Select, Tooltip } from "antd";
import { useState } from "react";
import { itemSpan, shiftItems, spanOfItems, type TimeItem } from "../../core/edit/timing/items";
import { eachLater, easeOfItems, inTurn, laterEach, setEases } from "../../core/edit/timing/order";
import {
  alignItems,
  distributeGaps,
  distributeSpeed,
  reverseItems,
  scaleItems,
  setLengths,
} from "../../core/edit/timing/retime";
import { nth } from "../../core/math/packed";
import { formatNumber } from "../../core/units/units";
import { folderMarked, putBackMarked } from "../../desk/acts/moveActions";
import {
  actionStart,
  duplicateTimed,
  namesOf,
  nudge,
  removeTimed,
  roomToShift,
  sayBetween,
  selectedItems,
  shiftWay,
  timed,
} from "../../desk/acts/timingActions";
import { Field } from "../common/Field";
import { TimeField } from "../common/TimeField";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { CycleFields } from "./CycleFields";
import { EasePresets } from "./EaseEditor";
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
  const later = laterEach(sequence, items, start);
  const shiftTo = (by: number, what: string) =>
    timed(desk, what, (list) => shiftItems(desk.body(), list, by, shiftWay(desk)));
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
            sayBetween(desk, () =>
              timed(desk, "Length of", (list) => scaleItems(list, span.t0, t / Math.max(1, span.t1 - span.t0), start)),
            )
          }
        />
        <span>Each lasts</span>
        <TimeField
          ariaLabel="Length of each"
          ticks={lengths.size === 1 ? nth([...lengths], 0) : null}
          rate={sequence.rate}
          onTake={(t) => timed(desk, "Length of each of", (list) => setLengths(list, t))}
        />
        {items.length > 1 && (
          <>
            <span>Each later by</span>
            <TimeField
              ariaLabel="Each later by"
              ticks={later}
              rate={sequence.rate}
              onTake={(t) => timed(desk, "One after another:", (list) => eachLater(desk.body(), list, t, start))}
            />
          </>
        )}
        <ShiftBy />
        <FactorField
          label="Scale time"
          ariaLabel="Scale time by"
          onTake={(f) => sayBetween(desk, () => timed(desk, "Scale", (list) => scaleItems(list, at, f, start)))}
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
      <h4>Ease of all</h4>
      <EasePresets
        ease={easeOfItems(sequence, items)}
        onChange={(ease) => timed(desk, "Ease of", (list) => setEases(list, ease))}
      />
      <h4>Put in order</h4>
      <PutInOrder items={items} />
      {marked.length > 0 && pins.length === 0 && <CycleFields />}
      <div className="row wrap">
        <Button size="small" onClick={() => duplicateTimed(desk)}>
          Duplicate
        </Button>
        {marked.length > 0 && pins.length === 0 && (
          <>
            <Tooltip title="Reversed copies at the playhead, or after the last of them (Ctrl+Shift+B)">
              <Button size="small" onClick={() => putBackMarked(desk)}>
                Put back
              </Button>
            </Tooltip>
            <Button size="small" onClick={() => folderMarked(desk)}>
              Folder
            </Button>
          </>
        )}
        <Button size="small" danger onClick={() => removeTimed(desk)}>
          Remove
        </Button>
      </div>
    </>
  );
}

function ShiftBy() {
  const desk = useDesk();
  return (
    <>
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
    </>
  );
}

/** Acts that put what is selected into an order of its own, each with what it does as a hint. */
function PutInOrder({ items }: { items: readonly TimeItem[] }) {
  const desk = useDesk();
  const sequence = useSequence();
  const start = actionStart(desk);
  const span = spanOfItems(sequence, items, start);
  const acts: readonly (readonly [label: string, tip: string, run: () => void])[] = [
    [
      "Starts together",
      "All begin with the first",
      () => timed(desk, "Align starts of", (l) => alignItems(l, "start", span.t0, start)),
    ],
    [
      "Ends together",
      "All end with the last; arrivals arrive together",
      () => timed(desk, "Align ends of", (l) => alignItems(l, "end", span.t1, start)),
    ],
    [
      "Starts here",
      "All begin at the playhead",
      () => timed(desk, "Align starts of", (l) => alignItems(l, "start", desk.state.ticks, start)),
    ],
    [
      "Ends here",
      "All end at the playhead",
      () => timed(desk, "Align ends of", (l) => alignItems(l, "end", desk.state.ticks, start)),
    ],
    [
      "One after another",
      "Each begins where the one before it ends; the first stays",
      () => timed(desk, "One after another:", (l) => inTurn(desk.body(), l, start)),
    ],
    [
      "Equal gaps",
      "The first and the last stay",
      () => timed(desk, "Spread", (l) => distributeGaps(desk.body(), l, start)),
    ],
    [
      "Equal speed",
      "Arrivals of one part: the same speed from one to the next",
      () => timed(desk, "Even out the speed of", (l) => distributeSpeed(desk.program, l)),
    ],
    [
      "As long as the first",
      "All take the length of the first selected",
      () => {
        const [first] = items;
        if (!first) return;
        const { t0, t1 } = itemSpan(desk.body(), first);
        timed(desk, "Same length for", (l) => setLengths(l, t1 - t0));
      },
    ],
    [
      "Reverse",
      "The last becomes the first; arrivals run back through their values",
      () => timed(desk, "Reverse", (l) => reverseItems(desk.body(), l, start)),
    ],
  ];
  return (
    <div className="row wrap">
      {acts.map(([label, tip, run]) => (
        <Tooltip key={label} title={tip}>
          <Button size="small" onClick={run}>
            {label}
          </Button>
        </Tooltip>
      ))}
    </div>
  );
}
