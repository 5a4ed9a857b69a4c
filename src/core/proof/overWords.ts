import { CAPTION_STYLE, placeCaption, plainMeasure } from "../captions/layout";
import { targetId } from "../document/sequence";
import type { Pose } from "../program/pose";
import { TICKS_PER_SECOND } from "../time/time";
import { type Actor, actorsOf, shown } from "./actors";
import type { Check } from "./check";
import { View } from "./view";

interface Watched {
  actor: Actor;
  frames: number;
  under: number;
  from: number;
  to: number;
}

/** Captions that stand over what acts while it does. */
export const overWords: Check<"share"> = {
  id: "caption-over",
  title: "Captions over what acts",
  why: "The caption hides what it speaks of.",
  needs: ["poses", "meshes"],
  thresholds: { share: { label: "Hides of what acts more than", unit: "%", min: 5, max: 100, usual: 50 } },
  mends: {},
  watch(context, report) {
    const { program, shapes, step, thresholds, frame } = context;
    const text = step.caption.trim();
    if (!shapes || !text) return null;
    const { width, height } = program.sequence.picture;
    const place = placeCaption(plainMeasure, text, width, height);
    // In shares of the half picture, up is more.
    const plate = {
      left: (2 * place.left) / width - 1,
      right: (2 * (place.left + place.width)) / width - 1,
      top: 1 - (2 * place.top) / height,
      bottom: 1 - 2 * CAPTION_STYLE.foot,
    };
    const list: Watched[] = actorsOf(context, shapes).map((actor) => ({
      actor,
      frames: 0,
      under: 0,
      from: -1,
      to: -1,
    }));
    if (list.length === 0) return null;
    const view = new View(program);
    const share = thresholds.share / 100;
    return {
      frame(at: Pose, ticks: number) {
        view.look(at);
        for (let i = 0; i < list.length; i++) {
          const w = list[i] as Watched;
          const { actor } = w;
          if (ticks < actor.from || ticks > actor.to || !shown(at, actor.node)) continue;
          w.frames++;
          // Mostly it is far from the words, which its sphere tells at once.
          if (view.lowest(at, actor.node, actor.middle, actor.radius) > plate.top) continue;
          const box = view.project(at, actor.node, shapes.hullOf(actor.geometry));
          const area = (box.right - box.left) * (box.top - box.bottom);
          const wide = Math.min(box.right, plate.right) - Math.max(box.left, plate.left);
          const high = Math.min(box.top, plate.top) - Math.max(box.bottom, plate.bottom);
          if (box.behind || wide <= 0 || high <= 0 || !(area > 0) || wide * high < share * area) continue;
          w.under++;
          if (w.from < 0) w.from = ticks;
          w.to = ticks;
        }
      },
      end() {
        const told = new Set<string>();
        for (const w of list) {
          const id = targetId(w.actor.target);
          // For a moment it does not matter, nor where most of what is moved can be seen.
          if (told.has(id) || w.under * frame < 0.5 * TICKS_PER_SECOND || w.under * 2 < w.frames) continue;
          const same = list.filter((o) => targetId(o.actor.target) === id && o.frames > 0);
          if (same.filter((o) => o.under * 2 >= o.frames).length * 2 < same.length) continue;
          told.add(id);
          report({
            ...{ severity: "look", what: "over", step: step.id, from: w.from, to: w.to, targets: [w.actor.target] },
            numbers: { part: { value: (100 * w.under) / w.frames, unit: "%" } },
            ...{ mends: [], about: [id] },
          });
        }
      },
    };
  },
};
