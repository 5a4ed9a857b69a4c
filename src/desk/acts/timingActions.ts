import { hand, type Move, type Target, targetId } from "../../core/document/sequence";
import { removeKeys } from "../../core/edit/curves/remove";
import { freshId } from "../../core/edit/id";
import { removeMoves } from "../../core/edit/moveCommands";
import type { SequenceCommand } from "../../core/edit/sequenceCommands";
import { anchorOf, copyItems, lacking, pasteItems } from "../../core/edit/timing/clip";
import { betweenFrames } from "../../core/edit/timing/frames";
import {
  itemId,
  itemSpan,
  itemsOf,
  roomBefore,
  type ShiftWay,
  shiftItems,
  spanOfItems,
  type TimeItem,
} from "../../core/edit/timing/items";
import { addMarker as addMarkerCommand } from "../../core/edit/timing/markers";
import { together } from "../../core/edit/together";
import { isOn } from "../../core/program/spans";
import { channelNameIn } from "../../core/text/channelWords";
import { problemOf } from "../../core/text/problem";
import { ticksPerFrame } from "../../core/time/time";
import { targetName } from "../names";
import type { Desk } from "../port";
import { rememberTiming } from "../remembered/timingStore";
import type { KeyRef, MoveRef } from "../selection/refs";
import { chooseParts, partsOf } from "../selection/selecting";
import { type Joining, withTimed } from "../selection/selection";
import { attempt } from "./attempt";
import { copyMarked, duplicateMarked, pasteCopied, selectedTargets } from "./moveActions";

/** What is selected in time: arrivals and moves. */
export function selectedItems(desk: Desk): TimeItem[] {
  const { pins, focus } = desk.state;
  const keys: readonly KeyRef[] = pins.length > 0 ? pins : focus.kind === "key" ? [focus.ref] : [];
  return [...keys, ...desk.state.marked];
}

/** Start of a step's action in the sequence, ticks. */
export const actionStart =
  (desk: Desk) =>
  (step: string): number =>
    desk.program.steps.action[desk.program.steps.position.get(step) ?? 0] ?? 0;

/** Selects arrivals and moves in time. One alone shows its details, several what can be done with all of them. */
export function selectTimed(
  desk: Desk,
  pins: readonly KeyRef[],
  moves: readonly MoveRef[],
  how: Joining = "set",
): void {
  const next = withTimed(desk.state.selected, pins, moves, how, desk.here());
  const alone = next.kind === "time" && next.pins.length === 1 && next.moves.length === 0 ? next.pins[0] : undefined;
  // What an arrival moves is selected with it, so that it can be dragged to where it shall arrive.
  const target = alone && hand(desk.sequence.steps[alone.step]?.moves[alone.move])?.target;
  chooseParts(desk, target ? { ...next, parts: partsOf(desk, target) } : next);
}

const split = (items: readonly TimeItem[]): { pins: KeyRef[]; moves: MoveRef[] } => ({
  pins: items.flatMap((i) => (i.key === undefined ? [] : [{ step: i.step, move: i.move, key: i.key }])),
  moves: items.flatMap((i) => (i.key === undefined ? [{ step: i.step, move: i.move }] : [])),
});

export function selectItems(desk: Desk, items: readonly TimeItem[], how: "set" | "add" = "set"): void {
  const { pins, moves } = split(items);
  selectTimed(desk, pins, moves, how);
}

const shown = (desk: Desk) => (step: string, move: Move) => {
  const found = desk.sequence.steps[step];
  return found?.on === true && isOn(found, move);
};

/** Everything in the timeline, or what a test lets through. */
export function selectAll(desk: Desk, wanted: (step: string, move: Move) => boolean = () => true): void {
  const on = shown(desk);
  selectItems(
    desk,
    itemsOf(desk.sequence, (s, m) => on(s, m) && wanted(s, m)),
  );
}

/** Everything that is not selected now. */
export function selectInverse(desk: Desk): void {
  const now = new Set(selectedItems(desk).map(itemId));
  selectItems(
    desk,
    itemsOf(desk.sequence, shown(desk)).filter((i) => !now.has(itemId(i))),
  );
}

/** All that acts on one target. */
export function selectLane(desk: Desk, target: Target, how: "set" | "add" = "set"): void {
  const id = targetId(target);
  const on = shown(desk);
  const of = (m: Move) => (m.kind === "hand" ? targetId(m.target) === id : m.targets.some((t) => targetId(t) === id));
  selectItems(
    desk,
    itemsOf(desk.sequence, (s, m) => on(s, m) && of(m)),
    how,
  );
}

/** Names things for labels of edits. */
export function namesOf(desk: Desk, items: readonly TimeItem[]): string {
  const first = items[0];
  if (!first) return "nothing";
  const name = desk.sequence.steps[first.step]?.moves[first.move]?.name ?? "";
  if (items.length === 1) return first.key === undefined ? `"${name}"` : `arrival of ${name}`;
  const keys = items.filter((i) => i.key !== undefined).length;
  const moves = items.length - keys;
  return [
    keys > 0 ? `${keys} ${keys === 1 ? "arrival" : "arrivals"}` : "",
    moves > 0 ? `${moves} ${moves === 1 ? "move" : "moves"}` : "",
  ]
    .filter(Boolean)
    .join(" and ");
}

/** Runs a command on what is selected in time; what keeps it from running is said. */
export function timed(
  desk: Desk,
  label: string,
  make: (items: TimeItem[]) => SequenceCommand,
  merge: string | null = null,
): boolean {
  const items = selectedItems(desk);
  if (items.length === 0) {
    desk.notify("info", "Select arrivals or moves in the timeline first.");
    return false;
  }
  return attempt(desk, `${label} ${namesOf(desk, items)}`, () => make(items), merge);
}

/** Does something to times, and says so where some of them lie between frames that lay on frames before. */
export function sayBetween(desk: Desk, work: () => boolean): boolean {
  const before = betweenFrames(desk.body()).length;
  if (!work()) return false;
  const more = betweenFrames(desk.body()).length - before;
  if (more > 0)
    desk.notify(
      "info",
      `${more} ${more === 1 ? "time lies" : "times lie"} between frames now. "Timing of the whole" brings them to the nearest frames.`,
    );
  return true;
}

export const shiftWay = (desk: Desk): ShiftWay => (desk.state.timing.along ? "along" : "alone");

/** How many frames what is selected can go to the left in its steps, as a number of at most 0. */
export const roomToShift = (desk: Desk): number =>
  roomBefore(desk.body(), selectedItems(desk)) / ticksPerFrame(desk.sequence.rate);

/** Moves what is selected by frames, as far as its steps let it; where it stops short, that is said. */
export function nudge(desk: Desk, frames: number): void {
  const items = selectedItems(desk);
  if (items.length === 0) return;
  const asked = Math.round(frames * ticksPerFrame(desk.sequence.rate));
  const by = Math.max(roomBefore(desk.body(), items), asked);
  if (by !== asked) desk.notify("info", "It stops where the step's action begins.");
  if (by === 0) return;
  timed(
    desk,
    "Move",
    (i) => shiftItems(desk.body(), i, by, shiftWay(desk)),
    `nudge-${desk.state.pins.length}-${desk.state.marked.length}-${items[0]?.key ?? items[0]?.move}`,
  );
}

/** Removes what is selected, arrivals and moves together. */
export function removeTimed(desk: Desk): void {
  timed(desk, "Remove", (items) => {
    const { pins, moves } = split(items);
    return together([removeMoves(desk.program, moves), removeKeys(pins)]);
  });
}

export function copyTimed(desk: Desk): void {
  if (desk.state.pins.length === 0) {
    desk.set({ clip: null });
    copyMarked(desk);
    return;
  }
  const items = selectedItems(desk);
  desk.set({ clip: copyItems(desk.body(), items, actionStart(desk)), copied: null });
  desk.notify("info", `${namesOf(desk, items)} copied. Paste at the playhead, or select parts and paste onto them.`);
}

/** Whether a target has a channel by that name. */
export const hasChannel = (desk: Desk) => (target: Target, channel: string) =>
  desk.program.channelOf(target, channel) >= 0;

/**
 * Pastes at the playhead; onto parts that were selected since, where they have the channels (it is asked where not).
 */
export function pasteTimed(desk: Desk): void {
  const { clip, focus } = desk.state;
  if (!clip) {
    pasteCopied(desk);
    return;
  }
  const step = desk.stepAtPlayhead();
  if (!step) {
    desk.notify("problem", "Every step is switched off. Switch one on to paste into it.");
    return;
  }
  const at = Math.max(0, Math.round(desk.state.ticks - step.action));
  const targets = focus.kind === "parts" ? selectedTargets(desk) : [];
  const onto = targets.length > 0 ? targets.map((target) => ({ target, name: targetName(desk, target) })) : null;
  const paste = () => {
    try {
      const { command, items } = pasteItems(clip, step.id, at, onto, hasChannel(desk));
      if (desk.edit("Paste in time", command)) selectItems(desk, items);
    } catch (error) {
      desk.notify("problem", problemOf(error));
    }
  };
  const missing = onto ? lacking(clip, targets, hasChannel(desk)) : [];
  if (missing.length === 0) {
    paste();
    return;
  }
  desk.set({
    asking: {
      title: "Not all of it fits",
      text: "Some of these parts cannot do all that was copied. Joints, for one, belong to one part.",
      lines: missing.map(
        (m) => `${targetName(desk, m.target)} has no ${m.channels.map((c) => channelName(desk, c)).join(", ")}`,
      ),
      keepValues: paste,
      keepPoses: paste,
      answers: [{ label: "Paste what fits", act: paste }],
    },
  });
}

export function duplicateTimed(desk: Desk): void {
  if (desk.state.pins.length === 0) {
    duplicateMarked(desk);
    return;
  }
  const items = selectedItems(desk);
  try {
    const body = desk.body();
    const span = spanOfItems(body, items, actionStart(desk));
    const first = items
      .map((i) => ({ i, t: itemSpan(body, i).t0 + actionStart(desk)(i.step) }))
      .sort((a, b) => a.t - b.t)[0];
    if (!first) return;
    const clip = copyItems(body, items, actionStart(desk));
    const { command, items: made } = pasteItems(
      clip,
      first.i.step,
      span.t1 + anchorOf(body, items, actionStart(desk)) - span.t0 - actionStart(desk)(first.i.step),
      null,
      hasChannel(desk),
    );
    if (desk.edit(`Duplicate ${namesOf(desk, items)}`, command)) selectItems(desk, made);
  } catch (error) {
    desk.notify("problem", problemOf(error));
  }
}

/** "Slide X", "Crank", in words. */
export const channelName = (desk: Desk, channel: string): string => channelNameIn(desk.state.preparation.body, channel);

export function setTiming(desk: Desk, change: Partial<Desk["state"]["timing"]>): void {
  const timing = { ...desk.state.timing, ...change };
  desk.set({ timing });
  rememberTiming(timing);
}

/** Puts a marker at the playhead, with a name that can be typed over. */
export function addMarker(desk: Desk): string | null {
  const step = desk.stepAtPlayhead();
  if (!step) return null;
  const id = freshId();
  const n = Object.keys(desk.body().markers).length + 1;
  return desk.edit("Add a marker", addMarkerCommand(id, `Marker ${n}`, step.id, desk.state.ticks - step.start))
    ? id
    : null;
}

/** The span of what is selected, ticks in the sequence; null for nothing. */
export function selectedSpan(desk: Desk): { t0: number; t1: number } | null {
  const items = selectedItems(desk).filter((i) => desk.program.steps.position.has(i.step));
  try {
    return items.length > 0 ? spanOfItems(desk.sequence, items, actionStart(desk)) : null;
  } catch {
    return null;
  }
}

/** Shows the picture alone, as published, and plays it. */
export function watch(desk: Desk): void {
  if (Object.keys(desk.state.pending).length > 0)
    desk.notify("info", "The pending pose is not part of what will be published.");
  desk.set({ watching: "fit", compare: null });
  desk.play();
}
