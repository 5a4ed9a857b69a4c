import { keepView } from "../../desk/acts/keeping";
import { dropAny, keepOrAdd, openMoves, putBackMarked } from "../../desk/acts/moveActions";
import {
  beginRename,
  copyFinish,
  dissolve,
  everything,
  groupSelection,
  onlyThese,
  pasteFinish,
  toggleFlag,
} from "../../desk/acts/partActions";
import { showBelow } from "../../desk/acts/preferences";
import { toggleProof } from "../../desk/acts/proofing";
import { removeFocused } from "../../desk/acts/removing";
import { toggleReview } from "../../desk/acts/reviewing";
import { selectEverything } from "../../desk/acts/selectingAll";
import { addMarker, copyTimed, duplicateTimed, pasteTimed, watch } from "../../desk/acts/timingActions";
import type { Desk } from "../../desk/port";
import { climb, select } from "../../desk/selection/selecting";
import { openMenu } from "./menuPlace";

export interface Shortcut {
  keys: string;
  what: string;
  why: string;
  run: (desk: Desk) => void;
}

const second = 705_600_000;

/** Every shortcut of the desk; docs/shortcuts.md lists the same. Keys are named by `combo`. */
export const SHORTCUTS: readonly Shortcut[] = [
  { keys: "Space", what: "Play or pause", why: "general habit", run: (d) => d.togglePlay() },
  {
    keys: "Shift+Space",
    what: "Play or pause backward",
    why: "Shift takes it the other way",
    run: (d) => d.togglePlay(true),
  },
  { keys: "Ctrl+Shift+Space", what: "Watch as published: the picture alone", why: "plays, and more so", run: watch },
  { keys: "ArrowRight", what: "One frame on", why: "general habit: arrows step", run: (d) => d.stepFrames(1) },
  { keys: "ArrowLeft", what: "One frame back", why: "general habit: arrows step", run: (d) => d.stepFrames(-1) },
  {
    keys: "Shift+ArrowRight",
    what: "One second on",
    why: "Shift makes steps larger",
    run: (d) => d.seek(d.state.ticks + second),
  },
  {
    keys: "Shift+ArrowLeft",
    what: "One second back",
    why: "Shift makes steps larger",
    run: (d) => d.seek(d.state.ticks - second),
  },
  {
    keys: "Ctrl+ArrowRight",
    what: "To the next arrival or step edge",
    why: "Ctrl jumps by words in text",
    run: (d) => d.jump(1),
  },
  {
    keys: "Ctrl+ArrowLeft",
    what: "To the previous arrival or step edge",
    why: "Ctrl jumps by words in text",
    run: (d) => d.jump(-1),
  },
  { keys: "Home", what: "To the start", why: "general habit", run: (d) => d.seek(0) },
  { keys: "End", what: "To the end", why: "general habit", run: (d) => d.seek(d.program.steps.length) },
  {
    keys: "Ctrl+Enter",
    what: "Keep the pending pose; add the move that is being made",
    why: "Ctrl+Enter sends what was prepared",
    run: keepOrAdd,
  },
  {
    keys: "Ctrl+A",
    what: "Select everything: in time where something in time is selected, else all parts",
    why: "general habit",
    run: selectEverything,
  },
  {
    keys: "Ctrl+Backspace",
    what: "Drop the pending pose; drop the move that is being made",
    why: "takes back what was prepared",
    run: dropAny,
  },
  {
    keys: "Ctrl+Shift+Enter",
    what: "Keep this view",
    why: "the camera's version of keeping",
    run: (d) => void keepView(d),
  },
  {
    keys: "Alt+M",
    what: "Choose a move for what is selected",
    why: "m for move, beside the other acts on a selection",
    run: openMoves,
  },
  { keys: "Insert", what: "Choose a move for what is selected", why: "the key that puts something in", run: openMoves },
  { keys: "Ctrl+C", what: "Copy the selected arrivals and moves", why: "general habit", run: copyTimed },
  {
    keys: "Ctrl+V",
    what: "Paste them: onto the selected parts, else at the playhead",
    why: "general habit",
    run: pasteTimed,
  },
  {
    keys: "Ctrl+D",
    what: "Duplicate the selected arrivals and moves",
    why: "general habit in drawing programs",
    run: duplicateTimed,
  },
  {
    keys: "Alt+K",
    what: "Put a marker at the playhead",
    why: "k in marker; Alt keeps clear of typing",
    run: (d) => void addMarker(d),
  },
  {
    keys: "Alt+P",
    what: "Proof: the list of what would embarrass us, or shut it",
    why: "p for proof; Alt keeps clear of printing",
    run: toggleProof,
  },
  {
    keys: "Alt+R",
    what: "Review: what is said about the sequence, or shut it",
    why: "r for review; Alt, as for the proof",
    run: toggleReview,
  },
  {
    keys: "Alt+L",
    what: "Lanes or curves below the stage",
    why: "l for lanes",
    run: (d) => showBelow(d, d.state.below === "lanes" ? "curves" : "lanes"),
  },
  {
    keys: "Shift+Home",
    what: "Fit the whole sequence in the timeline or the curves",
    why: "Home and End go along time; Shift makes them larger",
    run: (d) => d.timeline?.fitAll(),
  },
  {
    keys: "Shift+End",
    what: "Fit what is selected in the timeline or the curves",
    why: "beside fit everything",
    run: (d) => d.timeline?.fitSelection(),
  },
  { keys: "Ctrl++", what: "Show less time", why: "general habit: plus enlarges", run: (d) => d.timeline?.zoomBy(1.6) },
  { keys: "Ctrl+=", what: "Show less time", why: "plus without Shift", run: (d) => d.timeline?.zoomBy(1.6) },
  {
    keys: "Ctrl+-",
    what: "Show more time",
    why: "general habit: minus makes smaller",
    run: (d) => d.timeline?.zoomBy(1 / 1.6),
  },
  {
    keys: "Ctrl+Shift+B",
    what: "Put back: reversed copies of the selected moves at the playhead",
    why: "b for back",
    run: putBackMarked,
  },
  { keys: "Alt+ArrowUp", what: "Select the sub-assembly above", why: "Alt+Up goes to the parent folder", run: climb },
  { keys: "Ctrl+Home", what: "Fit everything", why: "Home of the view", run: (d) => d.view?.cameras.fit([]) },
  {
    keys: "Ctrl+End",
    what: "Fit the selection",
    why: "beside fit everything",
    run: (d) => d.view?.cameras.fit(d.state.selection),
  },
  { keys: "F2", what: "Rename the selected part or group", why: "general habit in file lists", run: beginRename },
  {
    keys: "Ctrl+G",
    what: "Group the selected parts",
    why: "general habit in drawing programs and offices",
    run: groupSelection,
  },
  { keys: "Ctrl+Shift+G", what: "Dissolve the selected group", why: "Shift takes back", run: dissolve },
  {
    keys: "Ctrl+Shift+H",
    what: "Hide or show the selection",
    why: "h for hide; Ctrl+Shift keeps clear of the browser",
    run: (d) => toggleFlag(d, "hidden"),
  },
  { keys: "Ctrl+Shift+O", what: "Show only the selection", why: "o for only", run: onlyThese },
  { keys: "Ctrl+Shift+E", what: "Show everything", why: "e for everything", run: everything },
  {
    keys: "Ctrl+Shift+S",
    what: "See through the selection, or make it solid",
    why: "s for see through",
    run: (d) => toggleFlag(d, "ghost"),
  },
  {
    keys: "Ctrl+Shift+L",
    what: "Lock or unlock the selection",
    why: "l for lock",
    run: (d) => toggleFlag(d, "locked"),
  },
  { keys: "Alt+C", what: "Copy the selected part's finish", why: "beside Ctrl+C, for looks", run: copyFinish },
  { keys: "Alt+V", what: "Give the copied finish to the selection", why: "beside Ctrl+V, for looks", run: pasteFinish },
  { keys: "Shift+F10", what: "Menu of the selection", why: "general habit: the context menu", run: openMenu },
  { keys: "ContextMenu", what: "Menu of the selection", why: "the keyboard's own key for it", run: openMenu },
  { keys: "Delete", what: "Remove the selected arrival or moves", why: "general habit", run: removeFocused },
  { keys: "Ctrl+Z", what: "Undo", why: "general habit", run: (d) => d.undo() },
  { keys: "Ctrl+Shift+Z", what: "Redo", why: "general habit", run: (d) => d.redo() },
  { keys: "Ctrl+Y", what: "Redo", why: "general habit", run: (d) => d.redo() },
  { keys: "Escape", what: "Take back a drag; else select nothing", why: "general habit", run: (d) => select(d, []) },
  { keys: "F1", what: "This list", why: "general habit: help", run: (d) => d.set({ dialog: "shortcuts" }) },
];

/** Name of a key press: modifiers in a fixed order, then the key. */
export function combo(e: Pick<KeyboardEvent, "key" | "ctrlKey" | "metaKey" | "shiftKey" | "altKey">): string {
  const key = e.key === " " ? "Space" : e.key.length === 1 ? e.key.toUpperCase() : e.key;
  return `${e.ctrlKey || e.metaKey ? "Ctrl+" : ""}${e.altKey ? "Alt+" : ""}${e.shiftKey ? "Shift+" : ""}${key}`;
}
