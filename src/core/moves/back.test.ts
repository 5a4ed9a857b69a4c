import { expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { runCommand } from "../edit/history";
import { reversedCopies } from "../edit/moveCommands";
import { compile } from "../program/compile";

test("put back in half the time or in twice the time, every arrival is where it was in the first, mirrored", () => {
  const EASE = { kind: "soft", start: 0.2, stop: 0.6 } as const;
  const s = sequenceOf([
    {
      "root/arm": [
        key("a", 1, 1, { "slide.y": 10 }, EASE),
        key("b", 2, 0.5, { "slide.y": 30 }, EASE),
        key("c", 4, 1.25, { "slide.y": 0 }, EASE),
      ],
    },
  ]);
  const H = "m-root_arm";
  if (s.steps.s0) s.steps.s0.action = seconds(12);
  for (const share of [0.5, 2]) {
    const back = reversedCopies(s, [{ step: "s0", move: H }], "s0", seconds(4), () => "r");
    const rid = back.ids[0] as string;
    const done = runCommand(s, back.command).document;
    const made = done.steps.s0?.moves[rid];
    if (!made || made.kind === "hand") throw new Error("no reversed move");
    const other = runCommand(done, (d) => {
      const back = d.steps.s0?.moves[rid];
      // With a length of its own.
      if (back?.kind === "back")
        Object.assign(back, {
          length: Math.round(seconds(4) * share),
          settings: { ...back.settings, own: true },
        });
    }).document;
    const p = compile(smallIndex(), preparation(), other);
    const [fore, rear] = [H, rid].map((m) => (p.placed.get("n:root/arm") ?? []).filter((r) => r.move === m));
    expect(rear).toHaveLength(3);
    fore?.toReversed().forEach((r, i) => {
      const b = rear?.[i];
      expect(b).toMatchObject({ channel: r.channel, from: r.to, to: r.from });
      expect(b?.t0).toBeCloseTo(seconds(4) + (seconds(4) - r.t1) * share, -1);
      expect(b?.t1).toBeCloseTo(seconds(4) + (seconds(4) - r.t0) * share, -1);
    });
  }
});
