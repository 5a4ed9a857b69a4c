import type { AssemblyIndex } from "../assembly/assembly";
import type { PartTarget } from "../document/parts";
import type { Preparation } from "../document/preparation";
import { type Move, type Sequence, type Step, targetId } from "../document/sequence";
import { nth } from "../math/packed";
import type { ReadonlyTriple } from "../math/triple";
import { moveKindOf } from "../moves/kinds";
import { compileTarget, type MoveRef } from "./compileTarget";
import type { Report, StepTable } from "./layout";
import { hiddenBy, Program, pivotOf } from "./program";
import { actionLength, targetsOf } from "./spans";

/** Moves of one target: [step id, move id] in no particular order. */
const movesOf = new WeakMap<Program, Map<string, MoveRef[]>>();

/**
 * Compiles a sequence over an assembly. Targets that are gone from the assembly are reported and left out.
 * The result is changed in place by {@link recompile} after an edit.
 */
export function compile(index: AssemblyIndex, preparation: Preparation, sequence: Sequence): Program {
  const program = new Program(index, preparation, sequence);
  listHidden(program);
  placeSteps(program);
  const byTarget = new Map<string, MoveRef[]>();
  for (const id of Object.keys(sequence.cameras)) program.trackCamera(id);
  for (const step of Object.values(sequence.steps))
    for (const move of Object.values(step.moves)) list(program, byTarget, step.id, move);
  movesOf.set(program, byTarget);
  placeTargets(program, byTarget, byTarget.keys());
  rowsAtCompile.set(program, program.scalars.rowsTaken);
  easesAtCompile.set(program, program.easesTaken);
  return program;
}

/** Lists a move under everything it writes. */
function list(program: Program, byTarget: Map<string, MoveRef[]>, step: string, move: Move): void {
  for (const target of targetsOf(move, program.sequence)) {
    const id = targetId(target);
    const known = byTarget.get(id);
    if (known) known.push([step, move.id]);
    else byTarget.set(id, [[step, move.id]]);
    if (target.type === "node" || target.type === "group") program.trackPart(target);
  }
}

/** Places targets: parts first, for cameras may look at them. */
function placeTargets(program: Program, byTarget: Map<string, MoveRef[]>, ids: Iterable<string>): void {
  const cameras: string[] = [];
  let overlays = false;
  for (const id of ids) {
    if (id.startsWith("c:")) cameras.push(id);
    else compileTarget(program, id, byTarget.get(id) ?? []);
    overlays ||= id.startsWith("m:");
  }
  for (const id of cameras) compileTarget(program, id, byTarget.get(id) ?? []);
  if (overlays) listDims(program, byTarget);
}

/** Notes what is dimmed by which move. */
function listDims(program: Program, byTarget: Map<string, MoveRef[]>): void {
  program.dims = [];
  for (const [id, refs] of byTarget) {
    const [step, moveId] = (id.startsWith("m:") ? refs[0] : undefined) ?? [];
    const move = program.sequence.steps[step ?? ""]?.moves[moveId ?? ""];
    if (move?.kind !== "attention" || move.settings.dim === 0) continue;
    const { parent, end } = program.index;
    const keep = new Uint8Array(parent.length);
    for (const target of move.targets) for (const node of program.nodesOf(target)) keep.fill(1, node, end[node]);
    program.dims.push({ channel: program.trackOverlay(move.id), dim: move.settings.dim, keep });
  }
}

const easesAtCompile = new WeakMap<Program, number>();
const rowsAtCompile = new WeakMap<Program, number>();

/** What of a sequence moves nothing. */
const UNMOVING = new Set(["name", "markers", "goal", "timings", "meant", "outputs", "sounds", "triggers", "newSteps"]);

/** Paths of what an edit changed, as in a patch. */
export type ChangedPath = readonly (string | number)[];

/**
 * Brings a program up to date after an edit of the sequence, touching only what the changed paths touch. A change of
 * a step's stills or texts moves offsets only; a change in a move compiles what that move acts on, and cameras that
 * look at parts; anything else (order of steps, cameras, on and off) compiles again. The numbers are the same as those
 * of a fresh {@link compile}.
 * @returns the program to go on with: the same one, or a new one where the structure changed.
 */
export function recompile(program: Program, sequence: Sequence, changed: readonly ChangedPath[]): Program {
  const before = program.sequence;
  const dirty = new Set<string>();
  const afresh = () => compile(program.index, program.preparation, sequence);
  let offsets = false;
  let moved = false;
  const byTarget = movesOf.get(program) as Map<string, MoveRef[]>;
  for (const path of changed) {
    const [head, stepId, field, moveId] = path;
    if (UNMOVING.has(String(head))) continue;
    if (head === "rate" || head === "picture") {
      // Views that fit and places worked out frame by frame depend on them.
      if (hasReaders(program, byTarget, before)) return afresh();
      continue;
    }
    if (head !== "steps" || path.length < 3) return afresh();
    if (field === "title" || field === "caption" || field === "note") continue;
    if (field === "stillBefore" || field === "stillAfter" || field === "action") {
      offsets = true;
      moved ||= field === "action";
      continue;
    }
    if (field !== "moves" || moveId === undefined) return afresh();
    const step = String(stepId);
    const move = String(moveId);
    const old = before.steps[step]?.moves[move];
    const now = sequence.steps[step]?.moves[move];
    const was = old ? targetsOf(old, before).map(targetId) : [];
    const is = now ? targetsOf(now, sequence).map(targetId) : [];
    offsets = true;
    moved = true;
    for (const id of [...was, ...is]) dirty.add(id);
    if (was.length === is.length && was.every((id, i) => id === is[i])) continue;
    // Reversed moves act on what their original acts on, so they would have to be listed anew.
    if (old && now && isReversed(sequence, step, move)) return afresh();
    for (const id of was)
      byTarget.set(
        id,
        (byTarget.get(id) ?? []).filter(([s, m]) => s !== step || m !== move),
      );
    for (const id of is)
      byTarget.set(id, [...(byTarget.get(id) ?? []).filter(([s, m]) => s !== step || m !== move), [step, move]]);
  }
  // Groups that outgrow their room leave it behind; when most is waste, a fresh start is cheaper.
  if (program.easesTaken > 8 * (easesAtCompile.get(program) ?? 0) + 20_000) return afresh();
  if (program.scalars.rowsTaken > 8 * (rowsAtCompile.get(program) ?? 0) + 20_000) return afresh();
  program.sequence = sequence;
  if (offsets) placeSteps(program);
  if (offsets) for (const id of program.offsetBound) dirty.add(id);
  // What runs on is elsewhere at the same time of a later step once a still before it is longer.
  if (moved || (offsets && runsOn(program))) for (const id of readers(program, byTarget, sequence)) dirty.add(id);
  placeTargets(program, byTarget, dirty);
  return program;
}

/** Whether anything goes on beyond its arrivals, so that it depends on the time in the sequence. */
function runsOn(program: Program): boolean {
  for (const rows of program.placed.values())
    if (rows.some((row) => row.after !== undefined || row.before !== undefined)) return true;
  return false;
}

/** Cameras with a move that looks at parts. */
function* readers(program: Program, byTarget: Map<string, MoveRef[]>, sequence: Sequence): Iterable<string> {
  for (const camera of program.cameras.keys()) {
    const id = `c:${camera}`;
    const reads = ([step, move]: MoveRef) => {
      const found = sequence.steps[step]?.moves[move];
      return found !== undefined && found.kind !== "hand" && moveKindOf(found.kind).readsParts === true;
    };
    if (byTarget.get(id)?.some(reads)) yield id;
  }
}

const hasReaders = (program: Program, byTarget: Map<string, MoveRef[]>, sequence: Sequence) =>
  !readers(program, byTarget, sequence)[Symbol.iterator]().next().done;

function isReversed(sequence: Sequence, step: string, move: string): boolean {
  return Object.values(sequence.steps).some((s) =>
    Object.values(s.moves).some((m) => m.kind === "back" && m.settings.of.step === step && m.settings.of.move === move),
  );
}

/**
 * Takes over an edited preparation. Joints, links, turn axes and groups that the sequence or a joint speaks of compile
 * again; the rest is taken in place.
 * @returns the program to go on with: the same one, or a new one where all of it was compiled again.
 */
export function withPreparation(program: Program, preparation: Preparation): Program {
  const old = program.preparation;
  const afresh = () => compile(program.index, preparation, program.sequence);
  if (
    preparation.joints !== old.joints ||
    preparation.links !== old.links ||
    preparation.copies !== old.copies ||
    lookIds(preparation) !== lookIds(old)
  ) {
    return afresh();
  }
  if (preparation.looks !== old.looks && program.lookChannels.size > 0) return afresh();
  // Ready-made moves read named poses, pivots and places at home.
  if ((preparation.poses !== old.poses || preparation.nodes !== old.nodes) && hasMade(program.sequence))
    return afresh();
  for (const { target } of program.nodes)
    if (target.type === "node" && preparation.nodes[target.key]?.axes !== old.nodes[target.key]?.axes) return afresh();
  const others = preparation.groups === old.groups ? NONE : regrouped(old.groups, preparation.groups);
  if (others.size > 0 && speaksOf(program, others)) return afresh();
  program.preparation = preparation;
  if (others.size > 0) program.regroup(preparation);
  for (const tracks of program.nodes) {
    const { target } = tracks;
    const kept =
      target.type === "group"
        ? !others.has(target.id)
        : preparation.nodes[target.key]?.pivot === old.nodes[target.key]?.pivot;
    if (!kept) (tracks as { pivot: ReadonlyTriple }).pivot = pivotOf(program.index, preparation, target);
  }
  if (preparation.nodes !== old.nodes) listHidden(program);
  return program;
}

const NONE: ReadonlySet<string> = new Set();

/** Groups that move other parts than before, or about another pivot, or that came or went. What is only named is none. */
function regrouped(before: Preparation["groups"], now: Preparation["groups"]): ReadonlySet<string> {
  const out = new Set<string>();
  for (const id of [...Object.keys(before), ...Object.keys(now)]) {
    const [was, is] = [before[id], now[id]];
    if (was?.members !== is?.members || was?.pivot !== is?.pivot) out.add(id);
  }
  return out;
}

/** Whether a joint or anything in the sequence names one of some groups: moves it, or speaks of it in its settings. */
function speaksOf(program: Program, groups: ReadonlySet<string>): boolean {
  for (const id of groups) if ((movesOf.get(program)?.get(`g:${id}`)?.length ?? 0) > 0) return true;
  const named = ({ target }: { target: PartTarget }) => target.type === "group" && groups.has(target.id);
  if (Object.values(program.preparation.joints).some(named)) return true;
  return Object.values(program.sequence.steps).some((s) =>
    Object.values(s.moves).some((m) => m.kind !== "hand" && (says(m.targets, groups) || says(m.settings, groups))),
  );
}

/** Whether one of some groups is named anywhere in a value, by its id alone or as a target. */
function says(value: unknown, groups: ReadonlySet<string>): boolean {
  if (typeof value === "string") return groups.has(value.startsWith("g:") ? value.slice(2) : value);
  if (typeof value !== "object" || value === null) return false;
  return Object.entries(value).some(([name, v]) => says(name, groups) || says(v, groups));
}

const hasMade = (sequence: Sequence) =>
  Object.values(sequence.steps).some((s) => Object.values(s.moves).some((m) => m.kind !== "hand"));
const lookIds = (p: Preparation) => Object.keys(p.looks).join();

function listHidden(program: Program): void {
  hiddenBy(program.index, program.preparation.nodes, program.hidden);
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
    table.still[i] = nth(table.action, i) + actionLength(step, sequence);
    at = nth(table.still, i) + step.stillAfter;
    table.end[i] = at;
  });
  table.length = at;
  program.steps = table;
}

/** All reports of a program. */
export function allReports(program: Program): Report[] {
  return [...program.reports.values()].flat();
}
