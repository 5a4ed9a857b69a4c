import { CAPTION_STYLE, noteSize, placeCaption, placeNote, plainMeasure } from "../captions/layout";
import { type Target, targetId } from "../document/sequence";
import { nth } from "../math/packed";
import { type Note, notesOf, noteText } from "../program/overlay";
import type { Pose } from "../program/sampling";
import { TICKS_PER_SECOND } from "../time/time";
import { type Actor, actorsOf, shown } from "./actors";
import type { Check, Report, StepContext } from "./check";
import { type Box, View } from "./view";

type Names = "share";
/** A plate with words, shares of the half picture: up is more. */
type Plate = Omit<Box, "behind">;

/** How long something that acts was under one plate. */
interface Under {
  frames: number;
  under: number;
  from: number;
  to: number;
}
interface Watched {
  actor: Actor;
  caption: Under;
  notes: Map<Note, Under>;
}

const none = (): Under => ({ frames: 0, under: 0, from: -1, to: -1 });

/** Less shown than this a label hides nothing. */
const FAINT = 0.3;

/** Captions, labels and dimensions that stand over what acts while it does. */
export const overWords: Check<Names> = {
  id: "caption-over",
  title: "Words over what acts",
  why: "The words hide what they speak of.",
  needs: ["poses", "meshes"],
  thresholds: { share: { label: "Hides of what acts more than", unit: "%", min: 5, max: 100, usual: 50 } },
  mends: {},
  watch(context, report) {
    const { program, shapes, step, thresholds } = context;
    const text = step.caption.trim();
    // What is shown longer than its step still hides what acts in the next.
    const notes = notesOf(program);
    if (!shapes || (!text && notes.length === 0)) return null;
    const { width, height } = program.sequence.picture;
    const caption = text ? captionPlate(text, width, height) : null;
    const list: Watched[] = actorsOf(context, shapes).map((actor) => ({ actor, caption: none(), notes: new Map() }));
    if (list.length === 0) return null;
    const view = new View(program);
    const measure = plainMeasure(noteSize(height));
    const share = thresholds.share / 100;
    return {
      frame(at: Pose, ticks: number) {
        view.look(at);
        const plates: { note: Note; plate: Plate }[] = [];
        for (const note of notes) {
          if (nth(at.values, note.shown) < FAINT || !shown(at, note.node)) continue;
          const anchor = view.pixel(at, note.node, note.anchor);
          if (!anchor) continue;
          const whole = { left: 0, top: 0, width, height };
          const place = placeNote(measure(noteText(note, at)), anchor.x, anchor.y, note, whole);
          plates.push({ note, plate: inShares(place, width, height) });
        }
        const top = Math.max(caption?.top ?? -1, ...plates.map((p) => p.plate.top));
        for (let i = 0; i < list.length; i++) {
          const w = list[i] as Watched;
          const { actor } = w;
          if (ticks < actor.from || ticks > actor.to || !shown(at, actor.node)) continue;
          if (caption) w.caption.frames++;
          for (const { note } of plates) {
            const u = w.notes.get(note) ?? none();
            u.frames++;
            w.notes.set(note, u);
          }
          // Mostly it is far from the words, which its sphere tells at once.
          if (view.lowest(at, actor.node, actor.middle, actor.radius) > top) continue;
          const box = view.project(at, actor.node, actor.hull);
          if (caption && hides(caption, box, share)) put(w.caption, ticks);
          for (const { note, plate } of plates) if (hides(plate, box, share)) put(w.notes.get(note) as Under, ticks);
        }
      },
      end() {
        tell(context, report, list, (w) => w.caption, "over", []);
        for (const note of notes)
          tell(context, report, list, (w) => w.notes.get(note), "label-over", [note.move, String(note.node)]);
      },
    };
  },
};

const captionPlate = (text: string, width: number, height: number): Plate => ({
  ...inShares(placeCaption(plainMeasure, text, width, height), width, height),
  // To its foot, whatever the lines come to.
  bottom: 1 - 2 * CAPTION_STYLE.foot,
});

/** A plate's place, pixels, in shares of the half picture. */
const inShares = (
  p: { left: number; top: number; width: number; height: number },
  width: number,
  height: number,
): Plate => ({
  left: (2 * p.left) / width - 1,
  right: (2 * (p.left + p.width)) / width - 1,
  top: 1 - (2 * p.top) / height,
  bottom: 1 - (2 * (p.top + p.height)) / height,
});

/** Whether a plate hides more than a share of a box. */
function hides(plate: Plate, box: Box, share: number): boolean {
  const area = (box.right - box.left) * (box.top - box.bottom);
  const wide = Math.min(box.right, plate.right) - Math.max(box.left, plate.left);
  const high = Math.min(box.top, plate.top) - Math.max(box.bottom, plate.bottom);
  return !box.behind && wide > 0 && high > 0 && area > 0 && wide * high >= share * area;
}

function put(u: Under, ticks: number): void {
  u.under++;
  if (u.from < 0) u.from = ticks;
  u.to = ticks;
}

/** Tells what one plate hides, by what was moved. */
function tell(
  { step, frame }: StepContext<Names>,
  report: Report,
  list: readonly Watched[],
  of: (w: Watched) => Under | undefined,
  what: "over" | "label-over",
  about: readonly string[],
): void {
  const told = new Set<string>();
  for (const w of list) {
    const u = of(w);
    const target: Target = w.actor.target;
    const id = targetId(target);
    // For a moment it does not matter, nor where most of what is moved can be seen.
    if (!u || told.has(id) || u.under * frame < 0.5 * TICKS_PER_SECOND || u.under * 2 < u.frames) continue;
    const same = list.flatMap((o) => (targetId(o.actor.target) === id ? [of(o)] : [])).filter((o) => o && o.frames > 0);
    if (same.filter((o) => o && o.under * 2 >= o.frames).length * 2 < same.length) continue;
    told.add(id);
    report({
      ...{ severity: "look", what, step: step.id, from: u.from, to: u.to, targets: [target] },
      numbers: { part: { value: (100 * u.under) / u.frames, unit: "%" } },
      ...{ mends: [], about: [...about, id] },
    });
  }
}
