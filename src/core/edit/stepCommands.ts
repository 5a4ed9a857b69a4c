import {
  CAPTION_MAX,
  type HandMove,
  type Key,
  keysOf,
  type Move,
  NOTE_MAX,
  type Sequence,
  type Step,
  targetId,
} from "../document/sequence";
import type { Program } from "../program/program";
import { actionLength, isOn, spanOf, stepLength } from "../program/spans";
import { Refusal } from "../text/refusal";
import { formatSecondsShort } from "../time/time";
import { freshId } from "./id";
import { handKeysOf, reversalsOf } from "./moveCommands";
import { plainCopy, removeStep, type SequenceCommand } from "./sequenceCommands";
import { rehomeSounds } from "./stepSounds";
import { mapIds } from "./traverse";

/** Spans of a step's action in which something moves, ticks from the action's start, with the move's name. */
function movingSpans(program: Program, step: Step): { t0: number; t1: number; name: string }[] {
  const out: { t0: number; t1: number; name: string }[] = [];
  for (const move of Object.values(step.moves)) {
    if (move.kind !== "hand" && isOn(step, move)) out.push({ ...spanOf(move, program.sequence), name: move.name });
  }
  for (const rows of program.placed.values()) {
    for (const r of rows)
      if (r.step === step.id && r.key !== "" && r.t1 > r.t0)
        out.push({ t0: r.t0, t1: r.t1, name: step.moves[r.move]?.name ?? "Something" });
  }
  return out;
}

/**
 * Cuts a step in two at a moment (ticks from the step's start) at which everything is still, so that nothing moves
 * otherwise than before: arrivals up to the moment stay, later ones go to the new step.
 * @throws Refusal when the step is off, the moment is not inside it, or something moves then (named, with the next
 * still moment).
 */
export function splitStep(program: Program, id: string, at: number, newId: string): SequenceCommand {
  return (draft) => {
    const step = stepOf(draft, id);
    if (!step.on) throw new Refusal("split-off");
    const length = stepLength(step, draft);
    if (!(at > 0 && at < length)) throw new Refusal("split-outside");
    const action = actionLength(step, draft);
    const cut = Math.min(action, Math.max(0, at - step.stillBefore));
    const spans = movingSpans(program, step);
    const inside = spans.find((s) => s.t0 < cut && s.t1 > cut);
    if (inside) {
      const next = [...new Set(spans.map((s) => s.t1))]
        .sort((a, b) => a - b)
        .find((t) => t > cut && !spans.some((s) => s.t0 < t && s.t1 > t));
      const hint =
        next === undefined
          ? ""
          : ` The next moment at which everything is still is ${formatSecondsShort(step.stillBefore + next)} s into the step.`;
      throw new Refusal("split-moving", { name: inside.name, hint });
    }
    const second: Step = {
      ...plainCopy(step),
      id: newId,
      title: `${step.title} (2)`.slice(0, 200),
      stillBefore: Math.max(0, step.stillBefore - at),
      action: action - cut,
      stillAfter: step.stillAfter - Math.max(0, at - step.stillBefore - action),
      moves: {},
      folders: {},
    };
    const circling = Object.values(step.moves).find(
      (m) => m.repeat && spanOf(m, draft).t0 < cut && spanOf(m, draft).t1 > cut,
    );
    if (circling) throw new Refusal("split-repeating", { name: circling.name });
    for (const folder of Object.values(step.folders)) second.folders[folder.id] = plainCopy(folder);
    for (const move of Object.values(step.moves)) {
      if (move.kind !== "hand") {
        if (move.start < cut || (move.start === cut && spanOf(move, draft).t1 <= cut)) continue;
        second.moves[move.id] = { ...plainCopy(move), start: move.start - cut };
        delete step.moves[move.id];
        redirect(draft, { step: id, move: move.id }, { step: newId, move: move.id });
        continue;
      }
      const later = Object.values(move.keys).filter((k) => k.at > cut);
      if (later.length === 0) continue;
      const moveId = freshId();
      const keys: Record<string, Key> = {};
      for (const key of later) {
        const keyId = freshId();
        keys[keyId] = { ...plainCopy(key), id: keyId, at: key.at - cut };
        delete move.keys[key.id];
      }
      const made: HandMove = { ...plainCopy(move), id: moveId, keys };
      second.moves[moveId] = made;
      // What comes from before stays with the first arrivals, what goes on after with the last.
      for (const b of Object.values(made.beyond ?? {})) b.before = "hold";
      if (Object.keys(move.keys).length > 0) for (const b of Object.values(move.beyond ?? {})) b.after = "hold";
      if (Object.keys(move.keys).length === 0) delete step.moves[move.id];
    }
    step.stillAfter = Math.max(0, at - step.stillBefore - action);
    step.stillBefore = Math.min(step.stillBefore, at);
    step.action = cut;
    draft.steps[newId] = second;
    for (const marker of Object.values(draft.markers)) {
      if (marker.step !== id || marker.at < at) continue;
      marker.step = newId;
      marker.at -= at;
    }
    rehomeSounds(draft, id, at, newId, -at);
    draft.stepOrder.splice(draft.stepOrder.indexOf(id) + 1, 0, newId);
  };
}

/**
 * Joins a step with the one after it; nothing moves otherwise than before. Captions and notes are put below one
 * another. @throws Refusal when there is none after it, or only one of the two is on.
 */
export function mergeSteps(id: string): SequenceCommand {
  return (draft) => {
    const first = stepOf(draft, id);
    const next = draft.steps[draft.stepOrder[draft.stepOrder.indexOf(id) + 1] ?? ""];
    if (!next) throw new Refusal("merge-nothing");
    if (first.on !== next.on) throw new Refusal("merge-half-on", { first: first.title, next: next.title });
    const shift = actionLength(first, draft) + first.stillAfter + next.stillBefore;
    const action = shift + actionLength(next, draft);
    Object.assign(first.folders, plainCopy(next.folders));
    for (const move of Object.values(next.moves)) {
      redirect(draft, { step: next.id, move: move.id }, { step: first.id, move: move.id });
      if (move.kind !== "hand") {
        first.moves[move.id] = { ...plainCopy(move), start: move.start + shift };
        continue;
      }
      const keys = Object.fromEntries(asBefore(move).map((k) => [k.id, { ...k, at: k.at + shift }]));
      const same = (m: Move): m is HandMove =>
        m.kind === "hand" &&
        !m.repeat &&
        !move.repeat &&
        !m.beyond &&
        !move.beyond &&
        m.on === move.on &&
        m.folder === move.folder &&
        targetId(m.target) === targetId(move.target);
      const known = Object.values(first.moves).find(same);
      // A move that another one reverses stays a move of its own.
      if (known && !isReferred(draft, first.id, known.id) && !isReferred(draft, first.id, move.id))
        Object.assign(known.keys, keys);
      else first.moves[move.id] = { ...plainCopy(move), keys };
    }
    const whole = first.stillBefore + shift - next.stillBefore;
    for (const marker of Object.values(draft.markers)) {
      if (marker.step !== next.id) continue;
      marker.step = first.id;
      marker.at += whole;
    }
    rehomeSounds(draft, next.id, 0, first.id, whole);
    first.action = action;
    first.stillAfter = next.stillAfter;
    first.caption = joined(first.caption, next.caption, CAPTION_MAX, "caption");
    first.note = joined(first.note, next.note, NOTE_MAX, "note");
    delete draft.steps[next.id];
    draft.stepOrder = draft.stepOrder.filter((s) => s !== next.id);
  };
}

/** Two texts below one another. @throws Refusal when they are too long for one: nothing of them is cut off unasked */
function joined(a: string, b: string, most: number, what: string): string {
  // A step that was split has its text twice.
  if (a === b) return a;
  const text = [a, b].filter(Boolean).join("\n");
  if (text.length > most) throw new Refusal("merge-too-long", { what, length: text.length, most });
  return text;
}

/**
 * A move's keys with leads that mean the same once something lies before them: a lead that reached back to the
 * start of the action is written out, and a key of which that is true for some channels only becomes two.
 */
function asBefore(move: HandMove): Key[] {
  const seen = new Set<string>();
  const out: Key[] = [];
  for (const key of keysOf(move).sort((a, b) => a.at - b.at)) {
    const copy = plainCopy(key);
    const channels = [...Object.keys(copy.values), ...(copy.orientation ? ["orientation"] : [])];
    const fresh = channels.filter((c) => !seen.has(c));
    for (const c of channels) seen.add(c);
    if (copy.lead !== "previous") {
      out.push({ ...copy, lead: Math.min(copy.lead, copy.at) });
      continue;
    }
    if (fresh.length === 0) {
      out.push(copy);
      continue;
    }
    if (fresh.length === channels.length) {
      out.push({ ...copy, lead: copy.at });
      continue;
    }
    const { orientation, ...bare } = copy;
    const part = (names: string[], lead: Key["lead"], keyId: string): Key => ({
      ...bare,
      id: keyId,
      lead,
      values: Object.fromEntries(Object.entries(copy.values).filter(([c]) => names.includes(c))),
      ...(orientation && names.includes("orientation") ? { orientation } : {}),
    });
    out.push(
      part(
        channels.filter((c) => !fresh.includes(c)),
        "previous",
        copy.id,
      ),
      part(fresh, copy.at, freshId()),
    );
  }
  return out;
}

/**
 * Removes a step. Moves elsewhere that put back what is moved in it stay as they are seen: they become hand-keyed.
 * @throws Refusal for the last one
 */
export function removeStepOf(program: Program, id: string): SequenceCommand {
  const step = program.sequence.steps[id];
  const own = Object.keys(step?.moves ?? {}).map((move) => ({ step: id, move }));
  const keyed = handKeysOf(
    program,
    reversalsOf(program.sequence, own).filter((r) => r.step !== id),
  );
  return (draft) => {
    if (draft.stepOrder.length > 1) keyed(draft);
    removeStep(id)(draft);
  };
}

interface Ref {
  step: string;
  move: string;
}

/** Lets moves that reverse one place reverse another. */
function redirect(draft: Sequence, from: Ref, to: Ref): void {
  for (const step of Object.values(draft.steps)) {
    for (const move of Object.values(step.moves)) {
      mapIds(move, { original: (of) => (of.step === from.step && of.move === from.move ? to : of) });
    }
  }
}

function isReferred(draft: Sequence, step: string, move: string): boolean {
  return Object.values(draft.steps).some((s) =>
    Object.values(s.moves).some((m) => m.kind === "back" && m.settings.of.step === step && m.settings.of.move === move),
  );
}

function stepOf(draft: Sequence, id: string): Step {
  const step = draft.steps[id];
  if (!step) throw new Refusal("gone", { what: "step" });
  return step;
}
