import { freeze } from "immer";
import type { AssemblyIndex } from "../assembly/assembly";
import { TITLE_MAX } from "../document/keys";
import type { Preparation } from "../document/preparation";
import {
  EaseSchema,
  type Folder,
  type Key,
  type MadeMove,
  type Move,
  type Sequence,
  type Step,
  type Target,
  targetId,
} from "../document/sequence";
import { EASE_STEADY } from "../ease/ease";
import { nth } from "../math/packed";
import type { MakeContext, MoveColour } from "../moves/kind";
import { easeOf, SECOND } from "../moves/kind";
import { moveKindOf } from "../moves/kinds";
import type { Placed } from "../program/layout";
import type { Program } from "../program/program";
import { actsOn, spanOf } from "../program/spans";
import { Refusal } from "../text/refusal";
import { freshId } from "./id";
import { copied, newHandMove, plainCopy, type SequenceCommand } from "./sequenceCommands";
import { together } from "./together";

/** A move by where it is. */
export interface MoveRef {
  step: string;
  move: string;
}

const stepOf = (draft: Sequence, id: string): Step => {
  const step = draft.steps[id];
  if (!step) throw new Refusal("gone", { what: "step" });
  return step;
};
/** A move where it is. @throws Refusal where it is gone */
export const moveOf = (draft: Sequence, ref: MoveRef): Move => {
  const move = stepOf(draft, ref.step).moves[ref.move];
  if (!move) throw new Refusal("gone", { what: "move" });
  return move;
};

/** What keeps parts from being moved, in words; null when nothing does. */
export function targetsFault(
  index: AssemblyIndex,
  preparation: Preparation,
  targets: readonly Target[],
): string | null {
  const nodes = new Map<number, string>();
  for (const target of targets) {
    if (target.type === "group") {
      const group = preparation.groups[target.id];
      if (!group) return "A group that was selected is gone.";
      if (group.locked) return `"${group.name}" is locked. Unlock it to move it.`;
      continue;
    }
    if (target.type !== "node") continue;
    const node = index.indexOf.get(target.key);
    const name =
      preparation.nodes[target.key]?.name ??
      index.assembly.nodes[node ?? -1]?.name ??
      target.key.split("/").pop() ??
      "";
    if (node === undefined) return `"${name}" is not in this revision of the assembly.`;
    for (let i = node; i >= 0; i = nth(index.parent, i)) {
      const above = index.assembly.nodes[i]?.key ?? "";
      if (preparation.nodes[above]?.locked)
        return `"${name}" is locked${i === node ? "" : " with what it belongs to"}. Unlock it to move it.`;
      if (preparation.nodes[above]?.hidden)
        return `"${name}" is hidden${i === node ? "" : " with what it belongs to"}. Show it to move it.`;
    }
    nodes.set(node, name);
  }
  for (const [node, name] of nodes) {
    for (let i = nth(index.parent, node); i >= 0; i = nth(index.parent, i)) {
      if (nodes.has(i)) return `"${name}" lies inside "${nodes.get(i)}", which is moved too. Select one of the two.`;
    }
  }
  return null;
}

/** The targets a kind acts on, from what is selected. @throws Refusal with what to do when they do not suit it. */
export function targetsFor(kind: string, context: MakeContext): Target[] {
  const { acts, title } = moveKindOf(kind);
  if (acts === "camera") return [{ type: "camera", id: context.camera }];
  if (acts === "look" || acts === "picture") return [{ type: acts }];
  const parts = context.targets.filter((t) => t.type === "node" || t.type === "group");
  if (parts.length === 0) throw new Refusal("needs-parts", { title });
  if (acts === "one part" && parts.length > 1) throw new Refusal("one-part", { title });
  const fault = targetsFault(context.index, context.preparation, parts);
  if (fault) throw new Refusal("said", { text: fault });
  return parts;
}

/**
 * A new move of a kind with its usual settings, beginning `start` ticks into the action. @throws Refusal with words
 * for the user.
 */
export function makeMove(kind: string, context: MakeContext, start: number, name: string): MadeMove {
  const spec = moveKindOf(kind);
  const targets = targetsFor(kind, context);
  // Kind and settings belong together: both are of `spec`, whose type is given up in the table of kinds.
  return {
    id: freshId(),
    name: name.slice(0, 200),
    on: true,
    folder: null,
    colour: null,
    note: "",
    start: Math.max(0, Math.round(start)),
    length: Math.round(spec.seconds * SECOND),
    ease: easeOf(spec),
    targets,
    kind,
    settings: spec.defaults({ ...context, targets: spec.acts === "camera" ? context.targets : targets }),
  } as unknown as MadeMove;
}

/** Puts a move into a step. */
export function addMove(stepId: string, move: Move): SequenceCommand {
  return (draft) => {
    stepOf(draft, stepId).moves[move.id] = plainCopy(move);
  };
}

export type MoveChange = Partial<Pick<Move, "name" | "on" | "colour" | "note" | "folder">> &
  Partial<Pick<MadeMove, "start" | "length" | "ease" | "targets">>;

/** Changes what all moves have. @throws Refusal for times out of range */
export function updateMove(ref: MoveRef, change: MoveChange): SequenceCommand {
  return (draft) => {
    const move = moveOf(draft, ref);
    for (const time of [change.start, change.length]) {
      if (time !== undefined && !(time >= 0)) throw new Refusal("move-time");
    }
    if (change.folder && !stepOf(draft, ref.step).folders[change.folder]) throw new Refusal("gone", { what: "folder" });
    Object.assign(move, change);
  };
}

/** Sets one setting of a ready-made move; `name` may be a path such as "leaving.on". */
export function setSetting(ref: MoveRef, name: string, value: unknown): SequenceCommand {
  return (draft) => {
    const move = moveOf(draft, ref);
    if (move.kind === "hand") throw new Refusal("hand-no-settings");
    put(move.settings as Record<string, unknown>, name, value);
  };
}

/** Writes a value at a path in settings. */
export function put(settings: Record<string, unknown>, name: string, value: unknown): void {
  const path = name.split(".");
  let at = settings;
  for (const part of path.slice(0, -1)) at = at[part] as Record<string, unknown>;
  at[path[path.length - 1] as string] = value;
}

/**
 * Copies moves into a step (their own, or another), beginning `shift` ticks later. @returns the command and the ids
 * of the copies
 */
export function duplicateMoves(
  sequence: Sequence,
  refs: readonly MoveRef[],
  to: string,
  shift: number,
): { command: SequenceCommand; ids: string[] } {
  const from = refs[0]?.step ?? to;
  const source = stepOf(sequence, from);
  const copy = copied(
    refs.map((r) => moveOf(sequence, r)),
    source.folders,
    from,
    to,
  );
  for (const move of Object.values(copy.moves)) {
    if (move.kind === "hand") for (const key of Object.values(move.keys)) key.at = Math.max(0, key.at + shift);
    else move.start = Math.max(0, move.start + shift);
  }
  const ids = Object.keys(copy.moves);
  return {
    ids,
    command: (draft) => {
      const step = stepOf(draft, to);
      Object.assign(step.folders, plainCopy(copy.folders));
      Object.assign(step.moves, plainCopy(copy.moves));
    },
  };
}

/**
 * Gives copies of moves to other parts, `shift` ticks later, one copy for each part: each is then its own.
 */
export function pasteOnto(
  sequence: Sequence,
  refs: readonly MoveRef[],
  to: string,
  targets: readonly Target[],
  nameOf: (t: Target) => string,
  shift: number,
): { command: SequenceCommand; ids: string[] } {
  const made: Move[] = [];
  for (const target of targets) {
    for (const ref of refs) {
      const source = moveOf(sequence, ref);
      if (source.kind === "back") throw new Refusal("reversed-alone");
      const copy = plainCopy(source);
      copy.id = freshId();
      copy.folder = null;
      if (copy.kind === "hand") {
        copy.target = target;
        copy.name = nameOf(target).slice(0, 200);
        copy.keys = Object.fromEntries(
          Object.values(copy.keys).map((k) => {
            const id = freshId();
            return [id, { ...k, id, at: Math.max(0, k.at + shift) }];
          }),
        );
      } else {
        copy.start = Math.max(0, copy.start + shift);
        copy.targets = [target];
        // "Lid: turn" becomes the other part's turn; a name of one's own stays.
        copy.name = copy.name.replace(/^[^:]+(?=: )/, nameOf(target)).slice(0, 200);
      }
      made.push(copy);
    }
  }
  return {
    ids: made.map((m) => m.id),
    command: (draft) => {
      for (const move of made) stepOf(draft, to).moves[move.id] = plainCopy(move);
    },
  };
}

/**
 * Reversed copies of moves, one for each, in a step: the last to act comes first. Each follows its original.
 * @param at ticks in the action at which the first begins
 */
export function reversedCopies(
  sequence: Sequence,
  refs: readonly MoveRef[],
  to: string,
  at: number,
  nameOf: (m: Move) => string,
): { command: SequenceCommand; ids: string[] } {
  const list = refs.map((ref) => ({ ref, move: moveOf(sequence, ref), span: spanOf(moveOf(sequence, ref), sequence) }));
  // What comes from several steps is reversed step by step, the last one first, without the stills between.
  const steps = [...new Set(list.map((l) => l.ref.step))].sort(
    (a, b) => sequence.stepOrder.indexOf(b) - sequence.stepOrder.indexOf(a),
  );
  const made: Move[] = [];
  let from = at;
  for (const id of steps) {
    const own = list.filter((l) => l.ref.step === id);
    const end = Math.max(...own.map((l) => l.span.t1));
    for (const { ref, move, span } of own) {
      made.push({
        id: freshId(),
        name: nameOf(move).slice(0, 200),
        on: true,
        folder: ref.step === to ? move.folder : null,
        colour: move.colour,
        note: "",
        start: Math.round(from + end - span.t1),
        length: span.t1 - span.t0,
        ease: easeOf({}),
        targets: plainCopy(actsOn(move, sequence)),
        kind: "back",
        settings: { of: { step: ref.step, move: ref.move }, companions: false, own: false },
      });
    }
    from += end - Math.min(...own.map((l) => l.span.t0));
  }
  return {
    ids: made.map((m) => m.id),
    command: (draft) => {
      for (const move of made) stepOf(draft, to).moves[move.id] = plainCopy(move);
    },
  };
}

/** Moves that reverse one of those given, and those that reverse these in turn. */
export function reversalsOf(sequence: Sequence, refs: readonly MoveRef[]): MoveRef[] {
  const out: MoveRef[] = [];
  let edge = [...refs];
  const known = new Set(refs.map((r) => `${r.step} ${r.move}`));
  while (edge.length > 0) {
    const next: MoveRef[] = [];
    for (const step of Object.values(sequence.steps)) {
      for (const move of Object.values(step.moves)) {
        if (move.kind !== "back" || known.has(`${step.id} ${move.id}`)) continue;
        const { of } = move.settings;
        if (!edge.some((e) => e.step === of.step && e.move === of.move)) continue;
        known.add(`${step.id} ${move.id}`);
        next.push({ step: step.id, move: move.id });
      }
    }
    out.push(...next);
    edge = next;
  }
  return out;
}

/** Removes moves. What reverses them becomes hand keys, so that nothing else moves otherwise than before. */
export function removeMoves(program: Program, refs: readonly MoveRef[]): SequenceCommand {
  const keyed = handKeysOf(
    program,
    reversalsOf(program.sequence, refs).filter((r) => !refs.some((x) => x.step === r.step && x.move === r.move)),
  );
  return (draft) => {
    keyed(draft);
    for (const ref of refs) delete stepOf(draft, ref.step).moves[ref.move];
  };
}

/** Puts moves into a new folder of their step. */
export function folderMoves(stepId: string, moves: readonly string[], folder: Folder): SequenceCommand {
  return (draft) => {
    const step = stepOf(draft, stepId);
    step.folders[folder.id] = folder;
    for (const id of moves) moveOf(draft, { step: stepId, move: id }).folder = folder.id;
  };
}

/** Changes a folder's name, colour or whether it is on. */
export function updateFolder(
  stepId: string,
  id: string,
  change: Partial<Pick<Folder, "name" | "on">> & { colour?: MoveColour | null },
): SequenceCommand {
  return (draft) => {
    const folder = stepOf(draft, stepId).folders[id];
    if (!folder) throw new Refusal("gone", { what: "folder" });
    Object.assign(folder, change);
  };
}

/** Takes a folder away; its moves stay. */
export function removeFolder(stepId: string, id: string): SequenceCommand {
  return (draft) => {
    const step = stepOf(draft, stepId);
    for (const move of Object.values(step.moves)) if (move.folder === id) move.folder = null;
    delete step.folders[id];
  };
}

/** Rows of a move by the target they belong to. */
function rowsOf(program: Program, ref: MoveRef): Map<string, { target: Target; rows: Placed[] }> {
  const out = new Map<string, { target: Target; rows: Placed[] }>();
  const move = program.sequence.steps[ref.step]?.moves[ref.move];
  for (const target of move ? actsOn(move, program.sequence) : []) {
    const id = targetId(target);
    const rows = (program.placed.get(id) ?? []).filter((r) => r.step === ref.step && r.move === ref.move);
    if (rows.length > 0) out.set(id, { target, rows });
  }
  return out;
}

/**
 * Puts hand keys in the place of ready-made moves: one arrival for every transition they make. Takes moves that stand
 * in the program. The command may run on several documents: the arrivals are made once, and frozen.
 */
export function handKeysOf(program: Program, refs: readonly MoveRef[]): SequenceCommand {
  const made = refs.flatMap((ref) => {
    const move = program.sequence.steps[ref.step]?.moves[ref.move];
    if (!move || move.kind === "hand") return [];
    const { on, folder, colour, note } = move;
    // The first keeps the move's id, so that it can still be found.
    const moves = [...rowsOf(program, ref).values()].map(({ target, rows }, i) => ({
      ...newHandMove(i === 0 ? ref.move : freshId(), target, move.name),
      ...{ on, folder, colour, note },
      keys: arrivalsOf(rows),
    }));
    return [{ ref, moves }];
  });
  return (draft) => {
    for (const { ref, moves } of made) {
      moveOf(draft, ref);
      const step = stepOf(draft, ref.step);
      delete step.moves[ref.move];
      for (const move of moves) step.moves[move.id] = { ...move, keys: { ...move.keys } };
    }
  };
}

/** Arrivals that make transitions; those of one time and ease share one. */
function arrivalsOf(rows: readonly Placed[]): Record<string, Key> {
  const keys: Record<string, Key> = {};
  // Arrivals by how they arrive: thousands of rows are not compared with one another.
  const alike = new Map<string, Key[]>();
  const shapes = new Map<Placed["shape"], { text: string; fits: boolean }>();
  for (const row of rows) {
    let shape = shapes.get(row.shape);
    if (!shape) {
      // A steep handle of a hand-keyed original makes an ease beyond what one may be; it stays a handle.
      shape = { text: JSON.stringify(row.shape), fits: EaseSchema.safeParse(row.shape).success };
      shapes.set(row.shape, shape);
    }
    const how = `${row.t0} ${row.t1} ${shape.text}`;
    const those = alike.get(how) ?? [];
    const same = those.find((k) => !(row.channel in k.values));
    const key: Key = same ?? {
      id: freshId(),
      at: row.t1,
      lead: row.t1 - row.t0,
      ease: shape.fits ? row.shape : EASE_STEADY,
      values: {},
    };
    if (!shape.fits && row.shape.kind === "curve") {
      const rise = nth(row.to, 0) - nth(row.from, 0);
      const { x1, y1, x2, y2 } = row.shape;
      key.shapes = {
        ...key.shapes,
        [row.channel]: {
          kind: "handles",
          leave: { share: x1, value: y1 * rise },
          arrive: { share: 1 - x2, value: (y2 - 1) * rise },
        },
      };
    }
    if (row.channel === "orientation") key.orientation = [...row.to] as [number, number, number, number];
    else key.values[row.channel] = nth(row.to, 0);
    if (!same) alike.set(how, [...those, key]);
    keys[key.id] = key;
  }
  for (const key of Object.values(keys)) freeze(key, true);
  return keys;
}

/** Changes several settings of a ready-made move. */
export function setSettings(ref: MoveRef, values: Readonly<Record<string, unknown>>): SequenceCommand {
  return together(Object.entries(values).map(([name, value]) => setSetting(ref, name, value)));
}

/** Puts moves into a step, in a folder of their own. */
export function addInFolder(step: string, folder: string, name: string, moves: readonly MadeMove[]): SequenceCommand {
  return (draft) => {
    stepOf(draft, step).folders[folder] = { id: folder, name: name.slice(0, TITLE_MAX), on: true, colour: null };
    for (const move of moves) addMove(step, move)(draft);
  };
}
