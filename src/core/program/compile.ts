import type { AssemblyIndex } from "../assembly/assembly";
import type { Preparation } from "../document/preparation";
import { type Key, type Move, type Sequence, type Step, type Target, targetId } from "../document/sequence";
import { linkedBy } from "./linking";
import { type NodeTracks, Program, pivotOf, type Report, type StepTable } from "./program";
import type { GroupSpec, Row } from "./tracks";

/** Moves of one target: [step id, move id] in no particular order. */
const movesOf = new WeakMap<Program, Map<string, [string, string][]>>();

/**
 * Compiles a sequence over an assembly. Targets that are gone from the assembly are reported and left out.
 * The result is changed in place by {@link recompile} after an edit.
 */
export function compile(index: AssemblyIndex, preparation: Preparation, sequence: Sequence): Program {
  const program = new Program(index, preparation, sequence);
  listHidden(program);
  placeSteps(program);
  const byTarget = new Map<string, [string, string][]>();
  program.batch(() => {
    for (const id of Object.keys(sequence.cameras)) program.trackCamera(id);
    for (const step of Object.values(sequence.steps)) {
      for (const move of Object.values(step.moves)) {
        const id = targetId(move.target);
        const list = byTarget.get(id);
        if (list) list.push([step.id, move.id]);
        else byTarget.set(id, [[step.id, move.id]]);
        if (move.target.type === "node" || move.target.type === "group") program.trackPart(move.target);
      }
    }
  });
  movesOf.set(program, byTarget);
  for (const id of byTarget.keys()) compileTarget(program, id);
  rowsAtCompile.set(program, program.scalars.rowsTaken);
  return program;
}

const rowsAtCompile = new WeakMap<Program, number>();

/** Paths of what an edit changed, as in a patch. */
export type ChangedPath = readonly (string | number)[];

/**
 * Brings a program up to date after an edit of the sequence, touching only what the changed paths touch. A change of
 * a step's stills or texts moves offsets only; a change in a move compiles that move's target; anything else (order
 * of steps, cameras, on and off) compiles again. The numbers are the same as those of a fresh {@link compile}.
 * @returns the program to go on with: the same one, or a new one where the structure changed.
 */
export function recompile(program: Program, sequence: Sequence, changed: readonly ChangedPath[]): Program {
  const before = program.sequence;
  const dirty = new Set<string>();
  let offsets = false;
  const byTarget = movesOf.get(program) as Map<string, [string, string][]>;
  for (const path of changed) {
    const [head, stepId, field, moveId] = path;
    if (head === "name" || head === "picture" || head === "rate") continue;
    if (head !== "steps" || path.length < 3) return compile(program.index, program.preparation, sequence);
    if (field === "title" || field === "caption" || field === "note") continue;
    if (field === "stillBefore" || field === "stillAfter" || field === "action") {
      offsets = true;
      continue;
    }
    if (field !== "moves" || moveId === undefined) return compile(program.index, program.preparation, sequence);
    const step = String(stepId);
    const move = String(moveId);
    const old = before.steps[step]?.moves[move];
    const now = sequence.steps[step]?.moves[move];
    offsets = true;
    for (const m of [old, now]) if (m) dirty.add(targetId(m.target));
    if (path.length <= 4) {
      if (old) dropMove(byTarget, old, step);
      if (now) {
        dropMove(byTarget, now, step);
        const id = targetId(now.target);
        byTarget.set(id, [...(byTarget.get(id) ?? []), [step, move]]);
      }
    }
  }
  // Groups that outgrow their room leave it behind; when most is waste, a fresh start is cheaper.
  if (program.scalars.rowsTaken > 8 * (rowsAtCompile.get(program) ?? 0) + 20_000) return compile(program.index, program.preparation, sequence);
  program.sequence = sequence;
  if (offsets) placeSteps(program);
  for (const id of dirty) compileTarget(program, id);
  return program;
}

function dropMove(byTarget: Map<string, [string, string][]>, move: Move, step: string): void {
  const id = targetId(move.target);
  const list = byTarget.get(id);
  if (list)
    byTarget.set(
      id,
      list.filter(([s, m]) => s !== step || m !== move.id),
    );
}

/** Takes over an edited preparation. Joints, links, groups and turn axes compile again; the rest is taken in place. */
export function withPreparation(program: Program, preparation: Preparation): Program {
  const old = program.preparation;
  if (preparation.joints !== old.joints || preparation.links !== old.links || preparation.groups !== old.groups || lookIds(preparation) !== lookIds(old)) {
    return compile(program.index, preparation, program.sequence);
  }
  for (const tracks of program.nodes) {
    if (tracks.target.type !== "node") continue;
    if (preparation.nodes[tracks.target.key]?.axes !== old.nodes[tracks.target.key]?.axes) return compile(program.index, preparation, program.sequence);
  }
  program.preparation = preparation;
  for (const tracks of program.nodes) (tracks as { pivot: readonly number[] }).pivot = pivotOf(program.index, preparation, tracks.target);
  listHidden(program);
  return program;
}

const lookIds = (p: Preparation) => Object.keys(p.looks).join();

function listHidden(program: Program): void {
  const { nodes } = program.index.assembly;
  nodes.forEach((node, i) => {
    const above = node.parent >= 0 ? program.hidden[node.parent] : 0;
    program.hidden[i] = above || program.preparation.nodes[node.key]?.hidden ? 1 : 0;
  });
}

/** Last arrival of a move, ticks in the action; kept by identity, since an unchanged move keeps its object. */
const ends = new WeakMap<Move, number>();
function moveEnd(move: Move): number {
  const known = ends.get(move);
  if (known !== undefined) return known;
  let end = 0;
  for (const id in move.keys) end = Math.max(end, (move.keys[id] as Key).at);
  ends.set(move, end);
  return end;
}

/** Length of a step's action: as set, or as long as its moves that are on need. */
export function actionLength(step: Step): number {
  let length = step.action;
  for (const id in step.moves) {
    const move = step.moves[id] as Move;
    if (move.on) length = Math.max(length, moveEnd(move));
  }
  return length;
}

/** Length of a step in ticks, stills and all. */
export function stepLength(step: Step): number {
  return step.stillBefore + actionLength(step) + step.stillAfter;
}

/** Fills the table of where the steps that are on lie. Only offsets change; no transition is touched. */
function placeSteps(program: Program): void {
  const { sequence } = program;
  const ids = sequence.stepOrder.filter((id) => sequence.steps[id]?.on);
  const table: StepTable = {
    ids,
    position: new Map(ids.map((id, i) => [id, i])),
    start: new Float64Array(ids.length),
    action: new Float64Array(ids.length),
    still: new Float64Array(ids.length),
    end: new Float64Array(ids.length),
    length: 0,
  };
  let at = 0;
  ids.forEach((id, i) => {
    const step = sequence.steps[id] as Step;
    table.start[i] = at;
    table.action[i] = at + step.stillBefore;
    table.still[i] = (table.action[i] as number) + actionLength(step);
    at = (table.still[i] as number) + step.stillAfter;
    table.end[i] = at;
  });
  table.length = at;
  program.steps = table;
}

/** One channel's transitions, before channels that arrive together are put into one group. */
interface ChannelRows {
  rows: Row[];
  values: number[];
}

interface Arrival {
  key: Key;
  step: string;
  move: string;
}

/** Compiles every channel of one target from its arrivals in all steps. */
function compileTarget(program: Program, id: string): void {
  const list = movesOf.get(program)?.get(id) ?? [];
  const reports: Report[] = [];
  program.reports.delete(id);
  const scalars = new Map<number, ChannelRows>();
  const turns: ChannelRows = { rows: [], values: [] };
  const target = targetFrom(id);
  const tracks = target.type === "node" || target.type === "group" ? program.trackPart(target) : null;
  if (!tracks && target.type !== "look" && !(target.type === "camera" && program.trackCamera(target.id))) {
    for (const [step, move] of list) reports.push({ code: "target-gone", step, move, key: "", channel: "", askedTicks: 0, usedTicks: 0 });
    if (reports.length > 0) program.reports.set(id, reports);
    return;
  }
  const placed = list
    .map(([step, move]) => ({ step, move, position: program.steps.position.get(step) ?? -1 }))
    .filter((m) => m.position >= 0 && program.sequence.steps[m.step]?.moves[m.move]?.on)
    .sort((a, b) => a.position - b.position || (a.move < b.move ? -1 : 1));
  for (let i = 0; i < placed.length; ) {
    const position = (placed[i] as { position: number }).position;
    const arrivals: Arrival[] = [];
    for (; i < placed.length && placed[i]?.position === position; i++) {
      const { step, move } = placed[i] as { step: string; move: string };
      for (const key of Object.values(program.sequence.steps[step]?.moves[move]?.keys ?? {})) arrivals.push({ key, step, move });
    }
    arrivals.sort((a, b) => a.key.at - b.key.at || (a.key.id < b.key.id ? -1 : 1));
    addStep(program, target, tracks, position, arrivals, scalars, turns, reports);
  }
  const known = program.groupsOf.get(id) ?? { scalars: [], orientations: [] };
  program.groupsOf.set(id, {
    scalars: program.scalars.replace(known.scalars, grouped(program, scalars)),
    orientations: program.orientations.replace(
      known.orientations,
      tracks && turns.rows.length > 0 ? [{ members: [tracks.orientation], rows: turns.rows, values: turns.values, rest: [0, 0, 0, 1] }] : [],
    ),
  });
  if (reports.length > 0) program.reports.set(id, reports);
}

/** Puts channels with the very same times and eases into one group each. */
function grouped(program: Program, channels: Map<number, ChannelRows>): GroupSpec[] {
  const buckets: { rows: Row[]; members: number[]; lists: number[][] }[] = [];
  for (const [channel, { rows, values }] of channels) {
    const bucket = buckets.find((b) => sameRows(b.rows, rows));
    if (bucket) {
      bucket.members.push(channel);
      bucket.lists.push(values);
    } else buckets.push({ rows, members: [channel], lists: [values] });
  }
  return buckets.map(({ rows, members, lists }) => ({
    members,
    rows,
    values: rows.flatMap((_, i) => lists.map((l) => l[i] as number)),
    rest: members.map((c) => program.scalars.rest[c] as number),
  }));
}

function sameRows(a: readonly Row[], b: readonly Row[]): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) {
    const p = a[i] as Row;
    const q = b[i] as Row;
    if (p.t0 !== q.t0 || p.t1 !== q.t1 || p.step !== q.step || p.ease !== q.ease) return false;
  }
  return true;
}

/** Turns one step's arrivals into transitions. A lead reaches back at most to the arrival before or the step's action. */
function addStep(
  program: Program,
  target: Target,
  tracks: NodeTracks | null,
  position: number,
  arrivals: readonly Arrival[],
  scalars: Map<number, ChannelRows>,
  turns: ChannelRows,
  reports: Report[],
): void {
  const last = new Map<number, number>();
  const ORIENTATION = -1;
  const say = (a: Arrival, code: Report["code"], channel: string) => reports.push({ code, step: a.step, move: a.move, key: a.key.id, channel, askedTicks: 0, usedTicks: 0 });
  const place = (a: Arrival, channel: number, name: string, value: readonly number[], list: ChannelRows) => {
    const { at, lead } = a.key;
    const previous = last.get(channel) ?? 0;
    const asked = name === "visible" ? 0 : lead === "previous" ? at - previous : lead;
    const t0 = Math.max(previous, at - asked);
    if (at - t0 < asked || (last.has(channel) && previous === at)) {
      const code = last.has(channel) && previous === at ? "arrival-hidden" : "lead-shortened";
      reports.push({ code, step: a.step, move: a.move, key: a.key.id, channel: name, askedTicks: asked, usedTicks: at - t0 });
    }
    last.set(channel, at);
    list.rows.push({ step: position, t0, t1: at, ease: program.ease(a.key.ease) });
    for (const v of value) list.values.push(v);
  };
  for (const a of arrivals) {
    for (const name in a.key.values) {
      const channel = program.channelOf(target, name);
      if (channel < 0) {
        if (name.startsWith("joint.") || name.startsWith("look.")) say(a, "joint-gone", name);
        continue;
      }
      if (tracks && linkedBy(tracks, name)) {
        say(a, "linked", name);
        continue;
      }
      const limits = tracks?.joints.find((j) => j.channel === channel)?.joint.limits;
      const value = a.key.values[name] as number;
      if (limits && ((limits.min !== null && value < limits.min) || (limits.max !== null && value > limits.max))) say(a, "beyond-limit", name);
      let list = scalars.get(channel);
      if (!list) {
        list = { rows: [], values: [] };
        scalars.set(channel, list);
      }
      place(a, channel, name, [a.key.values[name] as number], list);
    }
    if (a.key.orientation && tracks && linkedBy(tracks, "orientation")) say(a, "linked", "orientation");
    else if (a.key.orientation && tracks) place(a, ORIENTATION, "orientation", a.key.orientation, turns);
  }
}

function targetFrom(id: string): Target {
  if (id.startsWith("n:")) return { type: "node", key: id.slice(2) };
  if (id.startsWith("g:")) return { type: "group", id: id.slice(2) };
  return id === "look" ? { type: "look" } : { type: "camera", id: id.slice(2) };
}

/** All reports of a program. */
export function allReports(program: Program): Report[] {
  return [...program.reports.values()].flat();
}
