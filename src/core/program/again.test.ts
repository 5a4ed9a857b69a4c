import fc from "fast-check";
import { expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import type { Beyond } from "../document/keys";
import { parseDocument } from "../document/parse";
import type { Preparation } from "../document/preparation";
import { type HandMove, keysOf, type Sequence, type Target } from "../document/sequence";
import { runCommand } from "../edit/history";
import { addMove, makeMove, updateMove } from "../edit/moveCommands";
import { type SequenceCommand, updateKey, updateStep } from "../edit/sequenceCommands";
import { compile, recompile } from "./compile";
import { pose } from "./pose";
import { createPose, type Pose } from "./sampling";

const ARM = "root/arm";
const index = smallIndex();
const prepared: Preparation = {
  ...preparation(),
  groups: {
    g: { id: "g", name: "Pair", members: ["root/arm/b", "root/base"] },
    h: { id: "h", name: "One", members: ["root/arm/a"] },
  },
};
const group: Target = { type: "group", id: "g" };

/** An arm and two groups in two steps; a camera that follows one of them. The arm and a group may run on. */
function film(arm: Beyond, pair: Beyond, followed: Target): Sequence {
  const s = sequenceOf([
    { [ARM]: [key("a", 0.5, 0.2, { "slide.x": 5 }), key("b", 1.5, 1, { "slide.x": 60, "turn.z": 40 })] },
    { [ARM]: [key("c", 1, 0.4, { "slide.z": 9 })] },
    {},
  ]);
  const hand = s.steps.s0?.moves[`m-${ARM.replaceAll("/", "_")}`] ?? Object.values(s.steps.s0?.moves ?? {})[0];
  if (hand?.kind !== "hand" || !s.steps.s0) throw new Error("no move");
  if (arm !== "hold") hand.beyond = { "slide.x": { before: "hold", after: arm } };
  const keyed = (
    id: string,
    target: Target,
    values: Record<string, number>[],
    more: Partial<HandMove> = {},
  ): HandMove => ({
    ...hand,
    beyond: undefined,
    ...more,
    id,
    target: target as HandMove["target"],
    keys: Object.fromEntries(values.map((v, i) => [`${id}${i}`, key(`${id}${i}`, 0.4 + 0.8 * i, 0.4, v)])),
  });
  s.steps.s0.moves.g = keyed(
    "g",
    group,
    [
      { "slide.y": 3, opacity: 0.4 },
      { "slide.y": 33, tint: 0.8, "tint-colour": 2 },
    ],
    pair === "hold" ? {} : { beyond: { "slide.y": { before: "hold", after: pair } } },
  );
  s.steps.s0.moves.h = keyed("h", { type: "group", id: "h" }, [{ tint: 0.5, "tint-colour": 3 }, { visible: 0 }]);
  const follow = makeMove(
    "camera-follow",
    {
      index,
      preparation: prepared,
      targets: [followed],
      camera: "main",
      nodesOf: (t) => (t.type === "node" ? [index.indexOf.get(t.key) as number] : []),
      view: { lens: 50 },
    },
    seconds(0.3),
    "follow",
  );
  return parseDocument("sequence", runCommand(s, addMove("s1", { ...follow, id: "f", length: seconds(1) })).document);
}

type Change = (s: Sequence) => SequenceCommand;
const frames = fc.integer({ min: 0, max: 60 }).map((f) => seconds(f / 30));
const step = fc.constantFrom("s0", "s1", "s2");
const change: fc.Arbitrary<Change> = fc.oneof(
  fc.tuple(step, fc.constantFrom("stillBefore", "stillAfter", "action"), frames).map(
    ([s, field, v]): Change =>
      () =>
        updateStep(s, { [field]: v }),
  ),
  fc.tuple(fc.constantFrom("a", "b", "g"), fc.integer({ min: 3, max: 60 })).map(
    ([which, f]): Change =>
      (s) => {
        const id =
          which === "g"
            ? "g"
            : (Object.values(s.steps.s0?.moves ?? {}).find((m) => keysOf(m).some((k) => k.id === which))?.id ?? "");
        const k = which === "g" ? "g1" : which;
        return updateKey("s0", id, k, { at: seconds(f / 30) });
      },
  ),
  fc.tuple(frames, frames).map(
    ([start, length]): Change =>
      () =>
        updateMove({ step: "s1", move: "f" }, { start, length: Math.max(seconds(0.1), length) }),
  ),
  fc.tuple(fc.constantFrom("s0", "s2"), fc.boolean()).map(
    ([s, on]): Change =>
      () =>
        updateStep(s, { on }),
  ),
);

const numbers = (p: Pose) => ({
  world: p.world,
  values: p.values,
  groups: p.groups,
  marks: p.groupMarks,
  opacity: p.opacity,
  tint: p.tint,
  colour: p.tintColour,
  seen: p.visible,
  camera: p.camera,
});

/** Compares a program that was brought up to date with one compiled whole; every number must be finite, too. */
function same(sequence: Sequence, changes: readonly Change[]): void {
  let s = sequence;
  let program = compile(index, prepared, s);
  for (const c of changes) {
    const run = runCommand(s, c(s));
    s = run.document;
    program = recompile(
      program,
      s,
      run.patches.map((p) => p.path),
    );
  }
  const whole = compile(index, prepared, s);
  const [one, two] = [createPose(program), createPose(whole)];
  for (let t = -seconds(0.2); t < whole.steps.length + seconds(1); t += seconds(0.17)) {
    pose(program, t, one);
    pose(whole, t, two);
    const [a, b] = [numbers(one), numbers(two)];
    for (const name of Object.keys(a) as (keyof typeof a)[]) {
      expect(Array.from(a[name]), `${name} at ${t}`).toEqual(Array.from(b[name]));
      expect(Array.from(a[name]).every(Number.isFinite), `${name} at ${t} is finite`).toBe(true);
    }
  }
}

test("a camera that follows a part that runs on is right after a still was lengthened", () => {
  same(film("straight", "hold", { type: "node", key: ARM }), [() => updateStep("s0", { stillAfter: seconds(1.7) })]);
  same(film("hold", "repeat", group), [() => updateStep("s1", { stillBefore: seconds(0.9) })]);
});

test("with groups, running on and followers, any run of edits gives what compiling whole gives, and every number is finite", () => {
  const beyond = fc.constantFrom<Beyond>("hold", "straight", "repeat", "add", "swing");
  fc.assert(
    fc.property(
      beyond,
      beyond,
      fc.constantFrom<Target>({ type: "node", key: ARM }, group),
      fc.array(change, { minLength: 1, maxLength: 8 }),
      (arm, pair, followed, changes) => same(film(arm, pair, followed), changes),
    ),
    { numRuns: 60 },
  );
});
