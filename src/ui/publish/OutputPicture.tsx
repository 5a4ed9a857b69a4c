"use client";
import { Button, Slider } from "antd";
import { StepBack, StepForward } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import type { FrameRate } from "../../core/time/time";
import { formatSeconds, frameCount, frameToTicks } from "../../core/time/time";
import { changeOutput, type Planned } from "../../desk/acts/outputs";
import { OutputPreview } from "../../desk/background/publishing";
import type { Making } from "../../desk/state";
import { useDesk, useDeskState } from "../desk/context";
import { PORT } from "./port";
import { type Shown, ShownSwitch } from "./ShownSwitch";

/** A moment of an output just as it will be made, and the scrubber that chooses it. */
export function OutputPicture({ it, making }: { it: Planned; making: Making | undefined }) {
  const desk = useDesk();
  const version = useDeskState((s) => s.programVersion);
  const prepared = useDeskState((s) => s.preparation.body);
  const canvas = useRef<HTMLCanvasElement>(null);
  const room = useRef<HTMLDivElement>(null);
  const preview = useRef<OutputPreview | null>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const [failed, setFailed] = useState<string | null>(null);
  /** The moment of which the picture is, ticks; null before the first. */
  const [drawn, setDrawn] = useState<number | null>(null);
  const made = making?.state === "done" && /^(video|image)\//.test(making.type) ? making : null;
  const address = made?.url ?? null;
  const [showing, show] = useState<Shown>(made ? "made" : "will");
  // What has just been made is what one wants to see.
  useEffect(() => show(address === null ? "will" : "made"), [address]);
  const { settings, context, output } = it;
  const rate: FrameRate =
    typeof settings.rateNum === "number"
      ? { num: settings.rateNum, den: Number(settings.rateDen) }
      : desk.sequence.rate;
  const range = context?.range ?? { from: 0, to: 1 };
  const frames = frameCount(range.to - range.from, rate);
  const isStill = output.kind === "still";
  // A still is scrubbed by its own moment.
  const [scrubbed, scrub] = useState(0);
  const frame = Math.min(frames - 1, isStill ? Math.round((Number(settings.at) * rate.num) / rate.den) : scrubbed);
  const ticks = range.from + frameToTicks(frame, rate);
  const go = (to: number) => {
    const next = Math.max(0, Math.min(frames - 1, to));
    if (isStill) changeOutput(desk, output, { at: Math.round((next * rate.den * 1000) / rate.num) / 1000 });
    else scrub(next);
    show("will");
  };
  useEffect(() => {
    preview.current = new OutputPreview(desk, PORT);
    return () => preview.current?.dispose();
  }, [desk]);
  useEffect(() => {
    if (!room.current) return;
    const observer = new ResizeObserver(
      ([e]) => e && setSize({ width: Math.floor(e.contentRect.width), height: Math.floor(e.contentRect.height) }),
    );
    observer.observe(room.current);
    return () => observer.disconnect();
  }, []);
  const asked = JSON.stringify(output.settings);
  useEffect(() => {
    if (!context || size.width < 32 || size.height < 32) return;
    preview.current?.ask(
      output,
      ticks,
      size,
      (picture) => {
        setFailed(null);
        setDrawn(ticks);
        const c = canvas.current;
        if (c) {
          c.width = picture.width;
          c.height = picture.height;
          c.getContext("2d")?.drawImage(picture, 0, 0);
        }
        picture.close();
      },
      setFailed,
    );
  }, [asked, ticks, size.width, size.height, version, prepared]);
  return (
    <>
      <div ref={room} className="publish-room">
        {!context && (
          <p className="problem">Nothing of the sequence is left in this output's part. Choose another part.</p>
        )}
        {failed && <p className="problem">{failed}</p>}
        {context && !failed && drawn === null && showing === "will" && (
          <p className="soft" role="status">
            Drawing it as it will be made…
          </p>
        )}
        {made && showing === "made" && made.type.startsWith("video/") && (
          <video
            src={made.url}
            controls
            autoPlay
            // What speaks is not started unasked.
            muted={!made.checked.some((c) => c.startsWith("sound"))}
            data-testid="publish-made"
          />
        )}
        {made && showing === "made" && made.type.startsWith("image/") && (
          <img
            src={made.url}
            alt={made.name}
            data-testid="publish-made"
            className={settings.clear === true ? "clear" : ""}
          />
        )}
        <canvas
          ref={canvas}
          data-testid="publish-canvas"
          data-drawn={drawn ?? undefined}
          aria-busy={drawn !== ticks}
          className={settings.clear === true ? "clear" : ""}
          hidden={!context || failed !== null || drawn === null || showing === "made"}
          aria-label="The picture as it will be made"
        />
      </div>
      <div className="publish-bar">
        {made && <ShownSwitch value={showing} onChange={show} quick={made.quick} />}
        <Button size="small" aria-label="A frame back" icon={<StepBack size={14} />} onClick={() => go(frame - 1)} />
        <Button size="small" aria-label="A frame on" icon={<StepForward size={14} />} onClick={() => go(frame + 1)} />
        <Slider
          className="grow"
          ariaLabelForHandle="Moment that is shown"
          min={0}
          max={Math.max(1, frames - 1)}
          value={frame}
          tooltip={{ open: false }}
          onChange={go}
        />
        <span className="number soft">
          {formatSeconds(ticks - range.from)} s · frame {frame + 1} of {frames}
        </span>
      </div>
    </>
  );
}
