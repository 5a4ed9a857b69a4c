import { expect, test } from "vitest";
import { ACTS, siteOf } from "../../../tests/support/acts";
import { madeUpFilm } from "../../../tests/support/films";
import { nth } from "../math/packed";
import { compile, recompile } from "../program/compile";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose } from "../program/sampling";
import { Refusal } from "../text/refusal";
import { applyHistory, runCommand } from "./history";

/** Everything that a film shows at some moments, one number after the other. */
function shown(program: Program): number[] {
  const at = createPose(program);
  const out: number[] = [program.steps.length, ...program.steps.end];
  for (let k = 0; k <= 12; k++) {
    pose(program, (program.steps.length * k) / 12, at);
    out.push(...at.world, ...at.opacity, ...at.tint, ...at.tintColour, ...at.visible, ...at.camera);
  }
  return out;
}

test("after every act, and after it is undone, what is brought up to date shows what is compiled afresh", () => {
  for (let seed = 1; seed <= 6; seed++) {
    for (const [name, act] of Object.entries(ACTS)) {
      const { index, preparation, sequence } = madeUpFilm(seed);
      const c = siteOf(seed);
      let program = compile(index, preparation, sequence);
      const was = shown(program);
      let made: ReturnType<typeof runCommand<typeof sequence>>;
      try {
        made = runCommand(sequence, act(c));
      } catch (error) {
        if (error instanceof Refusal) continue;
        throw error;
      }
      const paths = (list: typeof made.patches) => list.map((p) => p.path);
      program = recompile(program, made.document, paths(made.patches));
      expectSame(shown(program), shown(compile(index, preparation, made.document)), `${name}, film ${seed}`);
      program = recompile(program, applyHistory(made.document, made.inverse), paths(made.inverse));
      expectSame(shown(program), was, `${name} undone, film ${seed}`);
    }
  }
});

function expectSame(a: readonly number[], b: readonly number[], what: string): void {
  expect(a.length, what).toBe(b.length);
  for (let i = 0; i < a.length; i++)
    if (Math.abs(nth(a, i) - nth(b, i)) > 1e-9) throw new Error(`${what}: number ${i} is ${a[i]}, afresh ${b[i]}`);
}
