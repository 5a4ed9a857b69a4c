import { expect, test } from "vitest";
import { madeUpFilm } from "../../../tests/support/films";
import { told } from "../../../tests/support/recorded";
import { Cover, coversOf } from "../checks/cover";
import { actingNodes, checkFraming } from "../checks/framing";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { OUTPUT_KINDS } from "../outputs/kinds";
import { compile } from "../program/compile";
import { moveKindOf } from "./kinds";
import { besideWay } from "./replace";

test("what moves say of themselves, what covers them, how they are framed and what they come to is as recorded", async () => {
  const lines: string[] = [];
  for (let seed = 1; seed <= 6; seed++) {
    const { index, geometries, preparation, sequence } = madeUpFilm(seed);
    const program = compile(index, preparation, sequence);
    const { steps } = program;
    lines.push(`== ${seed}`);
    for (const [i, id] of steps.ids.entries())
      for (const move of Object.values(sequence.steps[id]?.moves ?? {}))
        if (move.kind !== "hand")
          lines.push(`${i} ${move.kind}: ${moveKindOf(move.kind).describe(move as never, preparation)}`);
    const cover = new Cover(program, geometries, () => false);
    for (const [i, id] of steps.ids.entries()) {
      const acting = actingNodes(program, id);
      lines.push(
        `${i} acts ${acting} covered by ${coversOf(cover, program, geometries, acting, nth(steps.start, i), nth(steps.end, i))}`,
      );
    }
    for (const f of checkFraming(program, geometries)) lines.push(`framing ${told(f)}`);
    for (const d of [
      [1, 0, 0],
      [0, 0, 1],
      [0.6, 0, 0.8],
    ] as Triple[])
      for (const n of [1, 2, 5]) lines.push(`beside ${n} ${d}: ${told(besideWay(index, [n], d))}`);
    const range = { from: nth(steps.start, 1), to: steps.length };
    for (const kind of OUTPUT_KINDS) {
      const settings = kind.defaults(program) as never;
      const context = { program, range, looks: {} };
      lines.push(`${kind.id}: ${told(kind.plan(settings, context))} ${told(kind.remarks?.(settings, context) ?? [])}`);
    }
  }
  await expect(lines.join("\n")).toMatchFileSnapshot("record.txt");
});
