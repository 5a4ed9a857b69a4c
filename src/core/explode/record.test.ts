import { expect, test } from "vitest";
import { body, box, ring } from "../../../tests/support/bodies";
import { madeUpFilm } from "../../../tests/support/films";
import { told } from "../../../tests/support/recorded";
import { compile } from "../program/compile";
import { pose } from "../program/pose";
import { createPose } from "../program/sampling";
import { type Body, bodyOf } from "./bodies";
import { findCollisions } from "./check";
import { type ExplodeOptions, planChecked, shiftOf } from "./plan";
import { clearOf, waysOff } from "./ways";

/** A pump as it is built: things in, on and through one another. */
const pump = (): Body[] => [
  body("housing", box([-30, -30, -10], [30, 30, 0]), ring("z", [0, 0, 0], 12, 22, 0, 40)),
  body("plunger", ring("z", [0, 0, 0], 0, 11.9, 3, 60)),
  body("seal", ring("z", [0, 0, 0], 12, 15, 40, 44)),
  body("lid", ring("z", [0, 0, 0], 12.5, 24, 44, 50)),
  ...[0, 1, 2, 3].map((i) => {
    const [x, y] = [(i & 1 ? 1 : -1) * 25, (i & 2 ? 1 : -1) * 25] as const;
    return body(`screw${i}`, ring("z", [x, y, 0], 0, 2.4, -8, 14), ring("z", [x, y, 0], 0, 4, 14, 18));
  }),
  body("inlet", ring("x", [0, 0, 20], 0, 5, 22, 55)),
  body("crank", ring("y", [0, 0, 66], 0, 4, -30, 30), box([-4, -40, 60], [4, -30, 90])),
];

/** The parts of a made-up machine where its film leaves them. */
function machine(seed: number): Body[] {
  const { index, geometries, preparation, sequence } = madeUpFilm(seed);
  const program = compile(index, preparation, sequence);
  const at = createPose(program);
  pose(program, seed % 2 ? 0 : program.steps.length, at);
  return index.assembly.nodes.flatMap((n, i) =>
    n.kind === "part" && n.key !== "root/bracket" ? [bodyOf(n.key, index, geometries, at.world, [i])] : [],
  );
}

const CASES: [string, Body[], ExplodeOptions][] = [
  ["pump", pump(), { gap: 8 }],
  ["pump, loosely", pump(), { gap: 2, contact: 0.6, deflection: 0.1 }],
  ["pump, the housing stays as the rest", pump(), { gap: 5, base: 0, rest: true }],
  ["pump, the lid stays, all at once", pump(), { gap: 5, base: 3, stagger: 0 }],
  ["pump, few lines", pump(), { gap: 5, lines: 1, stagger: 0.4 }],
  ...[2].map((seed): [string, Body[], ExplodeOptions] => [`machine ${seed}`, machine(seed), { gap: 5 }]),
];

test("plans of a pump and of machines made up by chance are as recorded", async () => {
  const lines: string[] = [];
  for (const [name, bodies, options] of CASES) {
    const shares: number[] = [];
    const { plan, collisions } = planChecked(bodies, { ...options, progress: (s) => shares.push(s) });
    lines.push(`== ${name}`);
    for (const [i, p] of plan.entries()) lines.push(`${bodies[i]?.id}: ${told(p)}`);
    for (const c of collisions) lines.push(`collision ${told(c)}`);
    for (const c of findCollisions(bodies, shiftOf(plan, options.stagger ?? 1), 40, 0.05))
      lines.push(`near ${told(c)}`);
    expect(shares.every((s, i) => s >= (shares[i - 1] ?? 0) && s <= 1)).toBe(true);
    if (!name.includes(","))
      for (const [i, b] of bodies.entries()) {
        const others = bodies.filter((_, j) => j !== i);
        for (const w of waysOff(b, others))
          lines.push(`way ${b.id}: ${told(w)} ${told(clearOf(b, others, w.direction))}`);
      }
  }
  await expect(lines.join("\n")).toMatchFileSnapshot("record.txt");
});
