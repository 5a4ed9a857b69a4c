"use client";
import { Input, InputNumber, Modal, Radio, Select } from "antd";
import { useState } from "react";
import { FrameRateSchema } from "../../core/document/sequence";
import { setPicture, setRate } from "../../core/edit/sequenceCommands";
import { betweenFrames, snapAll, stillsBetweenFrames } from "../../core/edit/timing/frames";
import { together } from "../../core/edit/together";
import {
  FRAME_RATES,
  type FrameRate,
  formatRate,
  formatSecondsShort,
  frameCount,
  ticksPerFrame,
} from "../../core/time/time";
import { selectItems } from "../../desk/acts/timingActions";
import { useDesk, useSequence } from "./context";

/** A rate that is typed: whole frames a second, or a fraction such as 48000/1001. */
function ownRate(text: string): { rate: FrameRate } | { error: string } {
  const match = /^\s*(\d+)\s*(?:\/\s*(\d+))?\s*$/.exec(text);
  if (!match) return { error: "Whole frames a second, such as 15, or a fraction such as 48000/1001." };
  const parsed = FrameRateSchema.safeParse({ num: Number(match[1]), den: Number(match[2] ?? 1) });
  return parsed.success
    ? { rate: parsed.data }
    : { error: `This rate ${parsed.error.issues[0]?.message ?? "cannot be used"}.` };
}

/** Frame rate, with the choice of what stays, and picture size. */
export function RateDialog() {
  const desk = useDesk();
  const sequence = useSequence();
  const [label, setLabel] = useState(formatRate(sequence.rate));
  const [keep, setKeep] = useState<"seconds" | "frames">("seconds");
  const [width, setWidth] = useState(sequence.picture.width);
  const [height, setHeight] = useState(sequence.picture.height);
  const [own, setOwn] = useState(formatRate(sequence.rate));
  const typed = label === "own" ? ownRate(own) : null;
  const rate =
    typed && "rate" in typed ? typed.rate : (FRAME_RATES.find((r) => r.label === label)?.rate ?? sequence.rate);
  // Where nothing is timed yet there is nothing that could stay, and nothing to ask.
  const fresh =
    Object.values(sequence.steps).every((s) => Object.keys(s.moves).length === 0) &&
    Object.keys(sequence.markers).length === 0;
  const length = desk.program.steps.length;
  const factor = ticksPerFrame(rate) / ticksPerFrame(sequence.rate);
  const after = keep === "seconds" ? length : length * factor;
  const save = () => {
    const changed = rate.num !== sequence.rate.num || rate.den !== sequence.rate.den;
    if (changed) {
      const before = desk.state.ticks;
      const set = setRate(rate, keep);
      // Stills of a sequence without content go onto the new frames in the same act.
      desk.edit(`Frame rate ${formatRate(rate)}, ${keep} stay`, fresh ? together([set, snapAll()]) : set);
      if (keep === "frames") desk.seek(before * factor);
      const between = betweenFrames(desk.body()).length + stillsBetweenFrames(desk.body()).length;
      if (!fresh && between > 0)
        desk.set({
          asking: {
            title: "Times between frames",
            text: `At ${formatRate(rate)} frames a second ${between} ${between === 1 ? "time lies" : "times lie"} between frames. They can stay there, or go to the nearest frame.`,
            lines: betweenFrames(desk.body())
              .slice(0, 8)
              .map(
                (b) =>
                  `${desk.body().steps[b.item.step]?.moves[b.item.move]?.name ?? ""}: ${formatSecondsShort(b.at)} s in step ${desk.body().stepOrder.indexOf(b.item.step) + 1}`,
              ),
            keepValues: () => {},
            keepPoses: () => {},
            answers: [
              {
                label: "Select them",
                act: () =>
                  selectItems(
                    desk,
                    betweenFrames(desk.body()).map((b) => b.item),
                  ),
              },
              { label: "Onto frames", act: () => desk.edit("Onto frames", snapAll()) },
            ],
          },
        });
    }
    if (width !== sequence.picture.width || height !== sequence.picture.height)
      desk.edit(`Picture ${width}×${height}`, setPicture(width, height));
    desk.set({ dialog: null });
  };
  return (
    <Modal
      open
      title="Frame rate and picture"
      okText="Apply"
      okButtonProps={{ disabled: typed !== null && "error" in typed }}
      onOk={save}
      onCancel={() => desk.set({ dialog: null })}
      width={440}
    >
      <div className="form">
        <label htmlFor="rate">Frame rate</label>
        <Select
          id="rate"
          aria-label="Frame rate"
          value={label}
          onChange={setLabel}
          options={[
            ...FRAME_RATES.map((r) => ({ value: r.label, label: `${r.label} fps` })),
            { value: "own", label: "Own" },
          ]}
        />
        {label === "own" && (
          <>
            <label htmlFor="own-rate">Frames a second</label>
            <span>
              <Input
                id="own-rate"
                aria-label="Own frame rate"
                value={own}
                status={typed && "error" in typed ? "error" : ""}
                onChange={(e) => setOwn(e.target.value)}
              />
              {typed && "error" in typed && <span className="problem">{typed.error}</span>}
            </span>
          </>
        )}
        {!fresh && (
          <>
            <span>What stays</span>
            <Radio.Group value={keep} onChange={(e) => setKeep(e.target.value)} aria-label="What stays">
              <Radio value="seconds">Seconds</Radio>
              <Radio value="frames">Frame numbers</Radio>
            </Radio.Group>
          </>
        )}
        <span />
        <span className="soft number">
          {formatSecondsShort(length)} s, {frameCount(length, sequence.rate)} frames → {formatSecondsShort(after)} s,{" "}
          {frameCount(after, rate)} frames
        </span>
        <label htmlFor="width">Picture</label>
        <span>
          <InputNumber
            id="width"
            aria-label="Picture width"
            min={16}
            max={7680}
            precision={0}
            value={width}
            onChange={(v) => v && setWidth(v)}
          />{" "}
          ×{" "}
          <InputNumber
            aria-label="Picture height"
            min={16}
            max={4320}
            precision={0}
            value={height}
            onChange={(v) => v && setHeight(v)}
          />{" "}
          px
        </span>
      </div>
    </Modal>
  );
}
