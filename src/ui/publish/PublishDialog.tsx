"use client";
import { Alert, Button, Checkbox, InputNumber, Modal, Progress, Select } from "antd";
import { canEncodeVideo } from "mediabunny";
import { useEffect, useRef, useState } from "react";
import { isStop, problemOf } from "../../core/text/problem";
import { FRAME_RATES, formatRate, formatSecondsShort, frameCount } from "../../core/time/time";
import { makeVideo, writeCaptions } from "../../desk/background/makeVideo";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { ProofHint } from "../proof/ProofHint";
import { captionFontUrl } from "./captionFont";

type State =
  | { kind: "idle" }
  | { kind: "busy"; frame: number; frames: number; since: number }
  | { kind: "done"; url: string; size: number; frames: number }
  | { kind: "failed"; message: string };

const QUALITY = [
  { value: 0.06, label: "Small file" },
  { value: 0.12, label: "Good" },
  { value: 0.24, label: "Best" },
];

const even = (n: number) => n - (n % 2);

/** Makes an MP4 in the browser, frame by frame, with progress and cancel. */
export function PublishDialog() {
  const desk = useDesk();
  const sequence = useSequence();
  const preparation = useDeskState((s) => s.preparation.body);
  const name = useDeskState((s) => s.projectName);
  const [width, setWidth] = useState(sequence.picture.width);
  const [height, setHeight] = useState(sequence.picture.height);
  const [label, setLabel] = useState(formatRate(sequence.rate));
  const [quality, setQuality] = useState(0.12);
  const [captions, setCaptions] = useState(true);
  const [look, setLook] = useState(preparation.defaultLook);
  const [able, setAble] = useState<boolean | null>(null);
  const [state, setState] = useState<State>({ kind: "idle" });
  const working = useRef<AbortController | null>(null);
  const rate = FRAME_RATES.find((r) => r.label === label)?.rate ?? sequence.rate;
  const played = useDeskState((s) => s.range);
  const [part, setPart] = useState(played !== null);
  const range = part && played ? desk.playback.bounds() : { from: 0, to: desk.program.steps.length };
  const length = range.to - range.from;
  const frames = frameCount(length, rate);
  const w = even(width);
  const h = even(height);
  const fps = rate.num / rate.den;
  const bits = Math.round(w * h * fps * quality);
  const expectedMb = (bits * (frames / fps)) / 8 / 1e6;

  useEffect(() => {
    let live = true;
    setAble(null);
    const check =
      typeof VideoEncoder === "undefined" ? Promise.resolve(false) : canEncodeVideo("avc", { width: w, height: h });
    check.then(
      (ok) => live && setAble(ok),
      () => live && setAble(false),
    );
    return () => {
      live = false;
    };
  }, [w, h]);
  useEffect(() => () => working.current?.abort(), []);

  const stop = () => {
    working.current?.abort();
    working.current = null;
  };
  const start = () => {
    desk.pause();
    const abort = new AbortController();
    working.current = abort;
    let since = performance.now();
    setState({ kind: "busy", frame: 0, frames, since });
    const tell = (at: { frame: number; frames: number }) => {
      // Counted from the first frame on, which also pays for starting up.
      if (at.frame === 1) since = performance.now();
      setState({ kind: "busy", frame: at.frame, frames: at.frames, since });
    };
    makeVideo(
      {
        bytes: desk.packageBytes,
        assembly: desk.pkg.assembly,
        preparation,
        look,
        sequence,
        width: w,
        height: h,
        rate,
        range,
        bitsPerSecond: bits,
        captions,
        fontUrl: captionFontUrl(),
      },
      abort.signal,
      tell,
    ).then(
      ({ bytes, frames: made }) =>
        setState({
          kind: "done",
          url: URL.createObjectURL(new Blob([bytes], { type: "video/mp4" })),
          size: bytes.byteLength,
          frames: made,
        }),
      (error: unknown) => setState(isStop(error) ? { kind: "idle" } : { kind: "failed", message: problemOf(error) }),
    );
  };
  const file = `${name} - ${sequence.name}`.replace(/[\\/:*?"<>|]/g, "_");
  const vtt = async () => {
    const text = await writeCaptions({ assembly: desk.pkg.assembly, preparation, sequence }, range).catch(
      (error: unknown) => {
        desk.notify("problem", problemOf(error));
        return null;
      },
    );
    if (text === null) return;
    const url = URL.createObjectURL(new Blob([text], { type: "text/vtt" }));
    const a = document.createElement("a");
    a.href = url;
    a.download = `${file}.vtt`;
    a.click();
    URL.revokeObjectURL(url);
  };
  const left =
    state.kind === "busy" && state.frame > 3
      ? ((performance.now() - state.since) / (state.frame - 1)) * (state.frames - state.frame)
      : null;
  const busy = state.kind === "busy";
  return (
    <Modal
      open
      title={`Publish "${sequence.name}" as video`}
      width={state.kind === "done" ? 640 : 500}
      mask={{ closable: false }}
      onCancel={() => {
        stop();
        desk.set({ dialog: null });
      }}
      footer={
        busy
          ? [
              <Button key="cancel" onClick={stop}>
                Cancel
              </Button>,
            ]
          : state.kind === "done"
            ? [
                <Button key="again" onClick={() => setState({ kind: "idle" })}>
                  Change settings
                </Button>,
                <Button key="vtt" onClick={vtt}>
                  Captions (.vtt)
                </Button>,
                <Button key="save" type="primary" href={state.url} download={`${file}.mp4`}>
                  Download MP4
                </Button>,
              ]
            : [
                <Button key="vtt" onClick={vtt}>
                  Captions (.vtt)
                </Button>,
                <Button key="start" type="primary" disabled={!able} onClick={start}>
                  Make video
                </Button>,
              ]
      }
    >
      {state.kind !== "done" && (
        <div className="form">
          <span>Size</span>
          <span>
            <InputNumber
              aria-label="Video width"
              disabled={busy}
              min={16}
              max={4096}
              precision={0}
              value={width}
              onChange={(v) => v && setWidth(v)}
            />{" "}
            ×{" "}
            <InputNumber
              aria-label="Video height"
              disabled={busy}
              min={16}
              max={4096}
              precision={0}
              value={height}
              onChange={(v) => v && setHeight(v)}
            />{" "}
            px
          </span>
          {(w !== width || h !== height) && (
            <>
              <span />
              <span className="problem">
                H.264 needs even sizes: {w} × {h} will be made.
              </span>
            </>
          )}
          <span>Frame rate</span>
          <Select
            aria-label="Video frame rate"
            disabled={busy}
            value={label}
            onChange={setLabel}
            options={FRAME_RATES.map((r) => ({ value: r.label, label: `${r.label} fps` }))}
          />
          <span>Quality</span>
          <Select aria-label="Quality" disabled={busy} value={quality} onChange={setQuality} options={QUALITY} />
          {Object.keys(preparation.looks).length > 0 && (
            <>
              <span>Look</span>
              <Select
                aria-label="Look"
                disabled={busy}
                value={look ?? ""}
                onChange={(v) => setLook(v === "" ? null : v)}
                options={[
                  { value: "", label: "as on the desk" },
                  ...Object.values(preparation.looks).map((l) => ({ value: l.id, label: l.name })),
                ]}
              />
            </>
          )}
          <span>Captions</span>
          <Checkbox disabled={busy} checked={captions} onChange={(e) => setCaptions(e.target.checked)}>
            in the picture
          </Checkbox>
          {played && (
            <>
              <span>Part</span>
              <Checkbox disabled={busy} checked={part} onChange={(e) => setPart(e.target.checked)}>
                only what is played, {formatSecondsShort(played.from)} to {formatSecondsShort(played.to)} s
              </Checkbox>
            </>
          )}
          <span>Gives</span>
          <span className="number">
            {frames} frames, {formatSecondsShort(length)} s, about{" "}
            {expectedMb < 1 ? `${Math.max(1, Math.round(expectedMb * 1000))} kB` : `${expectedMb.toFixed(1)} MB`}
          </span>
        </div>
      )}
      {state.kind === "idle" && <ProofHint />}
      {able === false && (
        <Alert
          type="error"
          showIcon
          title="This browser cannot encode H.264 video here. Open Plextan over https or at its 127.0.0.1 address in a current Chromium-based browser or Safari; a smaller size may also help."
        />
      )}
      {state.kind === "busy" && (
        <div aria-live="polite">
          <Progress percent={Math.floor((state.frame / state.frames) * 100)} status="active" />
          <span className="number soft" data-testid="publish-progress">
            frame {state.frame} of {state.frames}
            {left !== null ? ` · about ${Math.max(1, Math.round(left / 1000))} s left` : ""}
          </span>
        </div>
      )}
      {state.kind === "failed" && (
        <Alert type="error" showIcon title={`The video could not be made: ${state.message}`} />
      )}
      {state.kind === "done" && (
        <>
          <video src={state.url} controls autoPlay muted className="result" />
          <p className="number soft" data-testid="publish-result">
            {state.frames} frames, {w} × {h}, {(state.size / 1e6).toFixed(2)} MB
          </p>
        </>
      )}
    </Modal>
  );
}
