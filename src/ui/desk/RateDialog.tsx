"use client";
import { InputNumber, Modal, Radio, Select } from "antd";
import { useState } from "react";
import { setPicture, setRate } from "../../core/edit/sequenceCommands";
import { FRAME_RATES, formatRate, formatSecondsShort, frameCount, ticksPerFrame } from "../../core/time/time";
import { useDesk, useSequence } from "./context";

/** Frame rate, with the choice of what stays, and picture size. */
export function RateDialog() {
  const desk = useDesk();
  const sequence = useSequence();
  const [label, setLabel] = useState(formatRate(sequence.rate));
  const [keep, setKeep] = useState<"seconds" | "frames">("seconds");
  const [width, setWidth] = useState(sequence.picture.width);
  const [height, setHeight] = useState(sequence.picture.height);
  const rate = FRAME_RATES.find((r) => r.label === label)?.rate ?? sequence.rate;
  const length = desk.program.steps.length;
  const factor = ticksPerFrame(rate) / ticksPerFrame(sequence.rate);
  const after = keep === "seconds" ? length : length * factor;
  const save = () => {
    const changed = rate.num !== sequence.rate.num || rate.den !== sequence.rate.den;
    if (changed) {
      const before = desk.state.ticks;
      desk.edit(`Frame rate ${label}, ${keep} stay`, setRate(rate, keep));
      if (keep === "frames") desk.seek(before * factor);
    }
    if (width !== sequence.picture.width || height !== sequence.picture.height) desk.edit(`Picture ${width}×${height}`, setPicture(width, height));
    desk.set({ dialog: null });
  };
  return (
    <Modal open title="Frame rate and picture" okText="Apply" onOk={save} onCancel={() => desk.set({ dialog: null })} width={440}>
      <div className="form">
        <label htmlFor="rate">Frame rate</label>
        <Select id="rate" aria-label="Frame rate" value={label} onChange={setLabel} options={FRAME_RATES.map((r) => ({ value: r.label, label: `${r.label} fps` }))} />
        <span>What stays</span>
        <Radio.Group value={keep} onChange={(e) => setKeep(e.target.value)} aria-label="What stays">
          <Radio value="seconds">Seconds</Radio>
          <Radio value="frames">Frame numbers</Radio>
        </Radio.Group>
        <span />
        <span className="soft number">
          {formatSecondsShort(length)} s, {frameCount(length, sequence.rate)} frames → {formatSecondsShort(after)} s, {frameCount(after, rate)} frames
        </span>
        <label htmlFor="width">Picture</label>
        <span>
          <InputNumber id="width" aria-label="Picture width" min={16} max={7680} precision={0} value={width} onChange={(v) => v && setWidth(v)} /> ×{" "}
          <InputNumber aria-label="Picture height" min={16} max={4320} precision={0} value={height} onChange={(v) => v && setHeight(v)} /> px
        </span>
      </div>
    </Modal>
  );
}
