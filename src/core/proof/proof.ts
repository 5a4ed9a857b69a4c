import { TIME_MAX_TICKS } from "../document/keys";
import { nth } from "../math/packed";
import type { Placed } from "../program/layout";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose } from "../program/sampling";
import { frameToTicks, ticksPerFrame } from "../time/time";
import { eachTarget } from "./channels";
import type { Check, Finding, ProofContext, Report, StepContext, Unjudged, Watcher } from "./check";
import { CHECKS } from "./checks";
import { Prints } from "./fingerprint";
import type { Shapes } from "./shapes";

/** Thresholds that were chosen, by check and name. */
export type Chosen = Readonly<Record<string, Readonly<Record<string, number>>>>;

export interface ProofOptions {
  chosen?: Chosen | undefined;
  /** Ids of the checks that are run; all by default. */
  only?: readonly string[] | undefined;
  shapes?: Shapes | null | undefined;
  /** What was found in steps before; what is still so is taken from it, and what is new put into it. */
  memory?: ProofMemory | undefined;
}

export interface Proof {
  /** Step by step, what is wrong before what is to be looked at. */
  findings: Finding[];
  unjudged: Unjudged[];
}

/** A check's thresholds: what was chosen where it is allowed, else the usual. */
export function thresholdsOf(check: Check, chosen: Chosen = {}): Record<string, number> {
  return Object.fromEntries(
    Object.entries(check.thresholds).map(([name, t]) => {
      const own = chosen[check.id]?.[name];
      return [name, own !== undefined && own >= t.min && own <= t.max ? own : t.usual];
    }),
  );
}

/** What was found in a step or in a thing's channels, with times from its step's start, by what that depends on. */
export class ProofMemory {
  readonly prints = new Prints();
  private recalled = new Map<string, { print: string; value: unknown }>();

  /** Something that follows from a step, for as long as its print stays. */
  recall<T>(what: string, print: string, make: () => T): T {
    const it = this.recalled.get(what);
    if (it?.print === print) return it.value as T;
    const value = make();
    this.recalled.set(what, { print, value });
    return value;
  }

  private lengths = "";
  private targets = new WeakMap<readonly Placed[], Map<string, Finding[]>>();

  /** What was found in the channels of a thing by a check, for as long as its rows and all steps' lengths stay. */
  knownIn(rows: readonly Placed[], check: string, lengths: string): Finding[] | undefined {
    if (lengths !== this.lengths) {
      this.targets = new WeakMap();
      this.lengths = lengths;
    }
    return this.targets.get(rows)?.get(check);
  }
  keepIn(rows: readonly Placed[], check: string, findings: Finding[]): void {
    const known = this.targets.get(rows);
    if (known) known.set(check, findings);
    else this.targets.set(rows, new Map([[check, findings]]));
  }

  private steps = new Map<string, { print: string; findings: Finding[]; unjudged: Unjudged[] }>();

  known(name: string, print: string): { findings: Finding[]; unjudged: Unjudged[] } | null {
    const it = this.steps.get(name);
    return it?.print === print ? it : null;
  }
  keep(name: string, print: string, findings: Finding[], unjudged: Unjudged[]): void {
    this.steps.set(name, { print, findings, unjudged });
  }
  /** Forgets steps that are no more. */
  only(names: ReadonlySet<string>): void {
    for (const name of this.steps.keys()) if (!names.has(name)) this.steps.delete(name);
    if (this.recalled.size > 4 * (names.size + 8)) this.recalled.clear();
  }
}

/** Frames between two moments at which a proof may be stopped. */
const FRAMES_A_TIME = 4;

/**
 * Looks through a whole sequence, frame by frame where a check asks for it; each frame is posed once for all of them.
 * Yields the share done, so that it can go on later or be given up; memory does not grow with the sequence's length.
 */
export function* proving(program: Program, options: ProofOptions = {}): Generator<number, Proof> {
  const { chosen = {}, only, shapes = null, memory } = options;
  const checks = CHECKS.filter((c) => !only || only.includes(c.id));
  const gathered = new Gathered();
  const [one, other] = [createPose(program), createPose(program)];
  const prints = memory ? memory.prints.of(program, one) : [];
  const recall: ProofContext["recall"] = (what, position, make) =>
    memory ? memory.recall(`${what} ${program.steps.ids[position]}`, prints[position] ?? "", make) : make();
  for (const check of checks) {
    const told = gathered.of(check);
    const context = { program, thresholds: thresholdsOf(check, chosen), shapes, recall };
    check.run?.(context, told.report, (what, targets = []) => gathered.cannot(check, null, what, targets));
    if (check.channel) alongChannels(check, context, gathered, memory);
    if (!shapes && check.needs.includes("meshes") && program.steps.ids.length > 0)
      gathered.cannot(check, null, "no-meshes", []);
    yield 0;
  }
  const { steps, sequence } = program;
  const frame = ticksPerFrame(sequence.rate);
  const watching = checks.filter((c) => c.watch);
  const names = new Set<string>();
  const whole = Math.min(TIME_MAX_TICKS, Math.max(1, steps.length));
  for (const [position, id] of steps.ids.entries()) {
    const step = sequence.steps[id];
    if (!step || watching.length === 0) continue;
    const start = nth(steps.start, position);
    const end = nth(steps.end, position);
    const first = Math.ceil(start / frame);
    const last = Math.max(first, Math.ceil(end / frame) - 1);
    const context = {
      ...{ program, shapes, step, position, frame, start, end },
      ...{ action: nth(steps.action, position), still: nth(steps.still, position) },
    };
    const print = prints[position] ?? "";
    const open: { watcher: Watcher; name: string; told: Gathered; check: Check }[] = [];
    for (const check of watching) {
      const thresholds = thresholdsOf(check, chosen);
      const name = `${check.id} ${id} ${JSON.stringify(thresholds)} ${shapes ? 1 : 0}`;
      names.add(name);
      const known = memory?.known(name, print);
      if (known) {
        gathered.take(known, start);
        continue;
      }
      const told = new Gathered();
      const watcher = check.watch?.(
        { ...context, thresholds } as StepContext,
        told.of(check).report,
        (what, targets = []) => told.cannot(check, id, what, targets),
      );
      if (watcher) open.push({ watcher, name, told, check });
      else memory?.keep(name, print, told.findingsFrom(start), told.unjudged);
      if (!watcher) gathered.take({ findings: told.findingsFrom(start), unjudged: told.unjudged }, start);
    }
    if (open.length === 0) continue;
    const looking = open.filter((o) => o.watcher.frame || o.watcher.before);
    if (looking.length > 0) {
      if (first > 0) {
        const ticks = frameToTicks(first - 1, sequence.rate);
        pose(program, ticks, other);
        for (const { watcher } of looking) watcher.before?.(other, ticks);
      }
      let [at, was] = [one, other];
      for (let f = first; f <= last; f++) {
        const ticks = frameToTicks(f, sequence.rate);
        pose(program, ticks, at);
        for (let i = 0; i < looking.length; i++) looking[i]?.watcher.frame?.(at, ticks, f > 0 ? was : null);
        [at, was] = [was, at];
        if ((f - first) % FRAMES_A_TIME === FRAMES_A_TIME - 1) yield ticks / whole;
      }
    }
    for (const { watcher, name, told } of open) {
      const rest = watcher.end?.();
      if (rest) for (const _ of rest) yield start / whole;
      const found = { findings: told.findingsFrom(start), unjudged: told.unjudged };
      memory?.keep(name, print, found.findings, found.unjudged);
      gathered.take(found, start);
    }
    yield end / whole;
  }
  memory?.only(names);
  return { findings: inOrder(program, gathered.findings), unjudged: gathered.unjudged };
}

/** Lets a check look at every channel; what it found in things that are as they were is taken from memory. */
function alongChannels(check: Check, context: ProofContext, gathered: Gathered, memory?: ProofMemory): void {
  const { program } = context;
  const { start, action, still, end, position } = program.steps;
  const from = (f: Finding): number => start[position.get(f.step) ?? 0] ?? 0;
  const name = `${check.id} ${JSON.stringify(context.thresholds)}`;
  const lengths = memory
    ? program.steps.ids.map((id, p) => [id, ...[action, still, end].map((t) => nth(t, p) - nth(start, p))]).join()
    : "";
  eachTarget(program, (target, channelsOf, rows) => {
    const known = memory?.knownIn(rows, name, lengths);
    if (known) {
      for (const f of known) gathered.put(shifted(f, from(f)));
      return;
    }
    const channels = channelsOf();
    const told = new Gathered();
    const { report } = told.of(check);
    for (const [channel, list] of channels) check.channel?.(context, target(), channel, list, report);
    for (const f of told.findings) gathered.put(f);
    memory?.keepIn(
      rows,
      name,
      told.findings.map((f) => shifted(f, -from(f))),
    );
  });
}

/** Looks through a whole sequence at once. */
export function prove(program: Program, options: ProofOptions = {}): Proof {
  const going = proving(program, options);
  for (;;) {
    const next = going.next();
    if (next.done) return next.value;
  }
}

/** Findings while they come in: each once, for what repeats is found at every round and its first tells it. */
class Gathered {
  readonly findings: Finding[] = [];
  readonly unjudged: Unjudged[] = [];
  private readonly known = new Set<string>();

  of(check: Check): { report: Report } {
    return {
      report: (f) => {
        const about = [f.what, ...f.about].join(" ");
        this.put({ ...f, check: check.id, about });
      },
    };
  }
  put(f: Finding): void {
    const name = findingId(f);
    if (!this.known.has(name)) this.findings.push(f);
    this.known.add(name);
  }
  cannot(check: Check, step: string | null, what: string, targets: Unjudged["targets"]): void {
    const name = `${check.id} ${step} ${what}`;
    if (!this.known.has(name)) this.unjudged.push({ check: check.id, step, what, targets });
    this.known.add(name);
  }
  take(found: { findings: Finding[]; unjudged: Unjudged[] }, start: number): void {
    for (const f of found.findings) this.put(shifted(f, start));
    this.unjudged.push(...found.unjudged);
  }
  /** With times from a moment. */
  findingsFrom(start: number): Finding[] {
    return this.findings.map((f) => shifted(f, -start));
  }
}

/** A finding so many ticks later. */
export const shifted = (f: Finding, by: number): Finding => ({
  ...f,
  from: f.from + by,
  to: f.to + by,
  ...(f.at === undefined ? {} : { at: f.at + by }),
});

/** What tells a finding from all others, over edits that do not change what it is about. */
export const findingId = (f: Pick<Finding, "check" | "step" | "about">): string => `${f.check} ${f.step} ${f.about}`;

function inOrder(program: Program, findings: Finding[]): Finding[] {
  const position = (f: Finding) => program.steps.position.get(f.step) ?? 0;
  return findings.sort(
    (a, b) =>
      position(a) - position(b) ||
      Number(a.severity === "look") - Number(b.severity === "look") ||
      a.from - b.from ||
      (a.about < b.about ? -1 : 1),
  );
}
