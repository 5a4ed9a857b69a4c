import { expect, test } from "vitest";
import { key, preparation, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { hand } from "../document/sequence";
import { runCommand } from "../edit/history";
import { compile, recompile } from "../program/compile";
import { createPose } from "../program/sampling";
import { Prints } from "./fingerprint";

const film = () =>
  sequenceOf([
    { "root/arm": [key("a", 1, 1, { "slide.x": 10 })] },
    { "root/base": [key("b", 1, 1, { "slide.z": 5 })] },
    { "root/base": [key("c", 1, 1, { "slide.z": 9 })] },
    { "root/arm": [key("d", 1, 1, { "slide.x": 40 })] },
    {},
  ]);

test("where a part was left shows in the prints of all later steps, up to where it is moved again", () => {
  const first = compile(smallIndex(), preparation(), film());
  const at = createPose(first);
  const prints = new Prints();
  const before = [...prints.of(first, at)];
  const { document, patches } = runCommand(first.sequence, (d) => {
    const a = hand(d.steps.s0?.moves["m-root_arm"])?.keys.a;
    if (a) a.values["slide.x"] = 25;
  });
  const next = recompile(
    first,
    document,
    patches.map((p) => p.path),
  );
  const after = [...prints.of(next, at)];
  expect(after).toEqual(new Prints().of(next, createPose(next)));
  expect(after.map((p, i) => p !== before[i])).toEqual([true, true, true, true, false]);
});
