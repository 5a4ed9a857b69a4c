"use client";
import { useEffect, useMemo, useRef, useState, useSyncExternalStore } from "react";
import { useStore } from "zustand";
import { problemOf } from "../../core/text/problem";
import { loadReview, ReviewStage } from "../../desk/review/reviewStage";
import { RoundClient } from "../../desk/review/roundClient";

/** Follows a round for as long as it is looked at. */
export function useRound(id: string, onMoved: (round: string) => void) {
  const moved = useRef(onMoved);
  moved.current = onMoved;
  const client = useMemo(() => new RoundClient(id, (r) => moved.current(r)), [id]);
  useEffect(() => {
    client.start();
    return () => client.stop();
  }, [client]);
  return { client, ...useStore(client.store) };
}

/** What is told to React of the stage: at most ten times a second while it plays. */
export interface Shown {
  ticks: number;
  playing: boolean;
  looking: boolean;
  step: string;
}
const NOTHING: Shown = { ticks: 0, playing: false, looking: false, step: "" };
const TOLD_EVERY_MS = 100;

/** A round's stage on two canvases. `place` is called at every frame: for what moves along with the picture. */
export class StageHolder {
  stage: ReviewStage | null = null;
  problem: string | null = null;
  shown: Shown = NOTHING;
  private readonly listeners = new Set<() => void>();
  private told = 0;
  place = () => {};
  tap: (x: number, y: number) => void = () => {};

  subscribe = (heard: () => void) => {
    this.listeners.add(heard);
    return () => this.listeners.delete(heard);
  };

  changed = () => {
    const { stage } = this;
    if (!stage) return;
    this.place();
    const { ticks, playing, looking } = stage.player;
    const { shown } = this;
    const now = performance.now();
    if (playing && shown.playing && looking === shown.looking && now - this.told < TOLD_EVERY_MS) return;
    this.told = now;
    this.shown = { ticks, playing, looking, step: stage.step };
    for (const l of this.listeners) l();
  };

  tell(): void {
    this.shown = { ...this.shown };
    for (const l of this.listeners) l();
  }
}

/** Puts a round's film on two canvases. */
export function useStage(
  id: string,
  picture: React.RefObject<HTMLCanvasElement | null>,
  notes: React.RefObject<HTMLCanvasElement | null>,
  room: React.RefObject<HTMLDivElement | null>,
) {
  const holder = useMemo(() => new StageHolder(), []);
  const shown = useSyncExternalStore(
    holder.subscribe,
    () => holder.shown,
    () => NOTHING,
  );
  const [state, setState] = useState<"loading" | "ready" | "failed">("loading");
  useEffect(() => {
    const abort = new AbortController();
    let observer: ResizeObserver | null = null;
    loadReview(id, abort.signal)
      .then(async (film) => {
        if (abort.signal.aborted || !picture.current || !notes.current || !room.current) return;
        await document.fonts.ready;
        const stage = new ReviewStage(id, film, picture.current, notes.current, holder.changed, (x, y) =>
          holder.tap(x, y),
        );
        holder.stage = stage;
        const size = () => {
          const r = room.current?.getBoundingClientRect();
          if (r) stage.player.resize(r.width, r.height, Math.min(2, devicePixelRatio));
          holder.place();
        };
        observer = new ResizeObserver(size);
        observer.observe(room.current);
        size();
        stage.player.seek(0);
        setState("ready");
        // For who wants to look closer.
        (window as unknown as { plextanReview?: ReviewStage }).plextanReview = stage;
      })
      .catch((e: unknown) => {
        if (abort.signal.aborted) return;
        console.error(e);
        holder.problem = /webgl/i.test(String(e))
          ? "This browser cannot draw the model in 3D: WebGL 2 is missing or switched off. Open the link in a current Chromium, Firefox or Safari; on a company machine, ask for hardware acceleration to be switched on."
          : problemOf(e);
        setState("failed");
      });
    return () => {
      abort.abort();
      observer?.disconnect();
      holder.stage?.dispose();
      holder.stage = null;
    };
  }, [id, holder, picture, notes, room]);
  return { holder, shown, state };
}
