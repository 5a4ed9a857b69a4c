"use client";
import { Alert, Button, Spin } from "antd";
import { type PointerEvent, type RefObject, useEffect, useRef } from "react";
import type { Thread } from "../../core/review/reading";
import { STROKE_POINTS_MAX } from "../../core/review/said";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { showLines } from "../../desk/review/lines";
import type { Draft, Mode } from "./draft";
import type { Shown, StageHolder } from "./useReview";

/** A pin is shown so long before and after its moment, ticks: it is not to flash by. */
const NEAR = TICKS_PER_SECOND;

interface Pinned {
  id: string;
  node: string;
  point: [number, number, number];
  label: string;
  title: string;
  thread: Thread | null;
}

/** The picture with what stands over it: caption, pins that move with their parts, lines that were drawn. */
export function ReviewPicture({
  holder,
  state,
  shown,
  room,
  picture,
  notes,
  mode,
  threads,
  chosen,
  draft,
  onChoose,
  onStroke,
}: {
  holder: StageHolder;
  state: "loading" | "ready" | "failed";
  shown: Shown;
  room: RefObject<HTMLDivElement | null>;
  picture: RefObject<HTMLCanvasElement | null>;
  notes: RefObject<HTMLCanvasElement | null>;
  mode: Mode;
  threads: readonly Thread[];
  chosen: Thread | null;
  draft: Draft | null;
  onChoose: (t: Thread) => void;
  onStroke: (line: number[]) => void;
}) {
  const { stage } = holder;
  const over = useRef<HTMLCanvasElement>(null);
  const pins = useRef(new Map<string, HTMLButtonElement>());
  const line = useRef<number[] | null>(null);
  const caption = stage?.film.sequence.steps[shown.step]?.caption.trim() ?? "";
  const list: Pinned[] = [];
  if (stage)
    for (const [i, t] of threads.entries()) {
      const { comment } = t;
      if (!comment.pin || comment.takenBack) continue;
      const at = stage.startOf(comment.step) + comment.from;
      const now = shown.ticks >= at - NEAR && shown.ticks <= at + (comment.until - comment.from) + NEAR;
      if (t !== chosen && (comment.settled || !now)) continue;
      list.push({ id: comment.id, ...comment.pin, label: String(i + 1), title: comment.text, thread: t });
    }
  if (draft?.pin)
    list.push({ id: "draft", ...draft.pin, label: "+", title: "The pin of what you are writing", thread: null });
  const strokes = draft ? draft.strokes : shown.playing ? [] : (chosen?.comment.strokes ?? []);

  const place = () => {
    if (!stage) return;
    const { player, film } = stage;
    for (const p of list) {
      const element = pins.current.get(p.id);
      const node = film.program.index.indexOf.get(p.node);
      if (!element) continue;
      if (node === undefined) {
        element.hidden = true;
        continue;
      }
      const { x, y, seen } = player.placeOf(node, p.point, !player.playing);
      element.hidden = false;
      element.style.transform = `translate(${x}px, ${y}px)`;
      element.classList.toggle("behind", !seen);
      element.title = seen ? p.title : `${p.title} (behind something, or not shown here)`;
    }
    showLines(over.current, stage.player.pictureFrame(), line.current ? [...strokes, line.current] : strokes);
  };
  holder.place = place;
  // What stands over the picture is placed whenever it is made anew.
  useEffect(place);

  const share = (e: PointerEvent): [number, number, number] => {
    const r = e.currentTarget.getBoundingClientRect();
    const f = stage?.player.pictureFrame() ?? { left: 0, top: 0, width: 1, height: 1 };
    const pressure = e.pressure > 0 ? e.pressure : 0.5;
    return [(e.clientX - r.left - f.left) / f.width, (e.clientY - r.top - f.top) / f.height, pressure];
  };
  return (
    <div
      ref={room}
      className={`review-picture ${mode} ${draft ? "writing" : ""}`}
      data-ready={state === "ready" ? "" : undefined}
    >
      <canvas ref={picture} className="stage-canvas" tabIndex={0} role="img" aria-label={caption || "The sequence"} />
      <canvas ref={notes} className="stage-notes" />
      <canvas
        ref={over}
        className="review-lines"
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          line.current = [...share(e)];
        }}
        onPointerMove={(e) => {
          if (!line.current) return;
          line.current.push(...share(e));
          // A line that is full goes on as another.
          if (line.current.length >= 3 * STROKE_POINTS_MAX) {
            const full = line.current;
            line.current = full.slice(-3);
            onStroke(rounded(full));
          }
          place();
        }}
        onPointerUp={() => {
          const drawn = line.current;
          line.current = null;
          if (drawn && drawn.length >= 6) onStroke(rounded(drawn));
        }}
        onPointerCancel={() => {
          line.current = null;
          place();
        }}
      />
      {list.map((p) => (
        <button
          key={p.id}
          type="button"
          hidden
          className={`review-pin ${p.thread && p.thread === chosen ? "chosen" : ""}`}
          aria-label={p.thread ? `Comment ${p.label}: ${p.title}` : p.title}
          ref={(element) => {
            if (element) pins.current.set(p.id, element);
            else pins.current.delete(p.id);
          }}
          onClick={() => p.thread && onChoose(p.thread)}
        >
          {p.label}
        </button>
      ))}
      {caption && state === "ready" && <p className="caption">{caption}</p>}
      {shown.looking && (
        <Button className="review-back" onClick={() => stage?.player.backToCamera()}>
          Back to the camera
        </Button>
      )}
      {state === "loading" && (
        <div className="review-cover" role="status">
          <Spin /> Loading the model
        </div>
      )}
      {state === "failed" && (
        <div className="review-cover">
          <Alert type="error" role="alert" title={holder.problem ?? "The model cannot be shown."} />
        </div>
      )}
    </div>
  );
}

const rounded = (line: readonly number[]): number[] => line.map((v) => Math.round(v * 1e4) / 1e4);
