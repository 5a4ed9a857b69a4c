import { indexAssembly } from "../../core/assembly/assembly";
import { emptyPreparation } from "../../core/document/preparation";
import { runCommand } from "../../core/edit/history";
import { updateKey, updateStep } from "../../core/edit/sequenceCommands";
import { compile, recompile } from "../../core/program/compile";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { inBrowser } from "./browser";
import { type Measurement, median } from "./measurement";
import { keyedAssembly } from "./pose";

interface Result {
  lanes: number;
  pins: number;
  scrub: { ours: number; bare: number };
  drag: { ours: number; bare: number };
}

/**
 * Scrubbing and dragging in a timeline of 2,000 lanes, against a bare page that draws the same; see
 * bench/timeline.page.ts.
 */
export async function measureTimeline(): Promise<Measurement[]> {
  const r = await inBrowser<Result>("bench/timeline.page.ts");
  const row = (name: string, v: { ours: number; bare: number }, note: string): Measurement => ({
    name,
    ours: v.ours,
    reference: v.bare,
    ratio: v.ours / v.bare,
    unit: "ms of script a frame",
    note,
  });
  return [
    row("timeline-scrub", r.scrub, `${r.pins} pins on ${r.lanes} rows`),
    row("timeline-drag", r.drag, "500 selected pins"),
  ];
}

const PARTS = 2000;
const KEYS = 10;

/** Recompiling after one edit in a sequence of 20,000 arrivals, against compiling it whole. */
export async function measureEdit(): Promise<Measurement[]> {
  const { assembly, sequence } = keyedAssembly(PARTS, KEYS);
  const index = indexAssembly(assembly);
  const preparation = emptyPreparation();
  let body = sequence;
  let program = compile(index, preparation, body);
  const whole: number[] = [];
  const key: number[] = [];
  const still: number[] = [];
  const time = (into: number[], work: () => void, keep: boolean) => {
    const start = performance.now();
    work();
    if (keep) into.push(performance.now() - start);
  };
  for (let i = 0; i < 24; i++) {
    const keep = i >= 4;
    const moved = runCommand(
      body,
      updateKey("s", `m${i * 50}`, "k4", { at: Math.round((9.5 + (i % 5) / 10) * TICKS_PER_SECOND) }),
    );
    body = moved.document;
    time(
      key,
      () => {
        program = recompile(
          program,
          body,
          moved.patches.map((p) => p.path),
        );
      },
      keep,
    );
    const longer = runCommand(body, updateStep("s", { stillBefore: ((i % 7) * TICKS_PER_SECOND) / 10 }));
    body = longer.document;
    time(
      still,
      () => {
        program = recompile(
          program,
          body,
          longer.patches.map((p) => p.path),
        );
      },
      keep,
    );
    time(whole, () => void compile(index, preparation, body), keep);
  }
  const reference = median(whole);
  const row = (name: string, ours: number, note: string): Measurement => ({
    name,
    ours,
    reference,
    ratio: ours / reference,
    unit: "ms",
    note,
  });
  return [
    row("edit-key", median(key), `one arrival moved of ${PARTS * KEYS}`),
    row("edit-still", median(still), "the still before the first step lengthened"),
  ];
}
