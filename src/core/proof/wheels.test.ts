import { describe, expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf } from "../../../tests/support/assembly";
import { assemblyOf, box, disc, gear } from "../../../tests/support/shapes";
import { indexAssembly } from "../assembly/assembly";
import type { Sequence } from "../document/sequence";
import { compile } from "../program/compile";
import type { Finding } from "./check";
import { prove } from "./proof";
import { Shapes } from "./shapes";

type Parts = Parameters<typeof assemblyOf>[0];
const STEADY = { kind: "soft", start: 0, stop: 0 } as const;

/** What is found when a sequence turns parts; `home` places the first part otherwise. */
function machine(parts: Parts, home?: number[]) {
  const made = assemblyOf(parts);
  const { geometries } = made;
  let { index } = made;
  const first = index.assembly.nodes[1];
  if (home && first) {
    const nodes = index.assembly.nodes.map((n, i) => (i === 1 ? { ...first, home } : n));
    index = indexAssembly({ ...index.assembly, nodes });
  }
  const shapes = new Shapes(index, geometries);
  return {
    found: (s: Sequence, only: string) => prove(compile(index, preparation(), s), { only: [only], shapes }).findings,
  };
}
const brief = (list: Finding[]) => list.map((f) => `${f.what} ${f.severity}`);

describe("wheels at the video's rate", () => {
  const wheel = (shape: Parts[string]["shape"]) => machine({ wheel: { shape } });
  /** Turns a wheel steadily by so many degrees a second, for a second. */
  const turning = (perSecond: number) =>
    sequenceOf([{ "root/wheel": [key("a", 1, 1, { "turn.z": perSecond }, STEADY)] }]);
  test("twelve teeth at 30 frames: 900 degrees a second seem to stand, 800 to turn backward, 300 turn", () => {
    const m = wheel(gear(12));
    const [stands, ...rest] = m.found(turning(900), "strobe");
    expect(rest).toEqual([]);
    expect(stands).toMatchObject({
      ...{ what: "stands", targets: [{ type: "node", key: "root/wheel" }] },
      numbers: { order: { value: 12 } },
    });
    expect(stands?.numbers.speed?.value).toBeCloseTo(900, 3);
    expect(stands?.numbers.below?.value).toBeCloseTo(0.4 * 30 * 30, 6);
    const back = m.found(turning(800), "strobe");
    expect(brief(back)).toEqual(["backward look"]);
    expect(back[0]?.numbers.seems?.value).toBeCloseTo(-100, 3);
    expect(m.found(turning(300), "strobe")).toEqual([]);
    expect(m.found(turning(430), "strobe")).toEqual([]);
  });
  test("a rate at which it turns as it should is named, and none where there is none", () => {
    const m = wheel(gear(12));
    expect(m.found(turning(590), "strobe")[0]?.numbers.rate?.value).toBe(50);
    expect(m.found(turning(1770), "strobe")[0]?.numbers.rate).toBeUndefined();
  });
  test.each([7, 16, 23, 36, 60])("a gear of %i teeth stands at a tooth a frame and at two, either way", (teeth) => {
    const m = wheel(gear(teeth));
    const tooth = (360 / teeth) * 30;
    for (const speed of [tooth, -tooth, 2 * tooth]) {
      const [f] = m.found(turning(speed), "strobe");
      expect(f).toMatchObject({ what: "stands", numbers: { order: { value: teeth } } });
      expect(f?.numbers.speed?.value).toBeCloseTo(Math.abs(speed), 2);
    }
  });
  test("what is round, a box turned slowly, and what goes round something else are not told", () => {
    expect(wheel(disc(20, 6)).found(turning(900), "strobe")).toEqual([]);
    expect(wheel(box("b", 20, 20, 5)).found(turning(300), "strobe")).toEqual([]);
    const away = machine({ wheel: { shape: gear(12), at: [80, 0, 0] } });
    const s = sequenceOf([{ root: [key("a", 1, 1, { "turn.z": 900 }, STEADY)] }]);
    // The whole machine turns about its middle, which is the wheel's; beside a second part it is not.
    const beside = machine({
      wheel: { shape: gear(12), at: [80, 0, 0] },
      other: { shape: disc(5, 5), at: [-80, 0, 0] },
    });
    expect(beside.found(s, "strobe")).toEqual([]);
    expect(brief(away.found(s, "strobe"))).toEqual(["stands look"]);
  });
  test("one that lies askew is judged about its own axis", () => {
    const quarter = [0, 0, -1, 0, 0, 1, 0, 0, 1, 0, 0, 0, 12, -7, 5, 1];
    const m = machine({ wheel: { shape: gear(12) } }, quarter);
    const about = (axis: string) => sequenceOf([{ "root/wheel": [key("a", 1, 1, { [axis]: 900 }, STEADY)] }]);
    expect(["turn.x", "turn.y", "turn.z"].map((axis) => brief(m.found(about(axis), "strobe")).join())).toEqual(
      expect.arrayContaining(["stands look", "", ""]),
    );
  });
  test("one that stands in between is told with the time of its first run alone", () => {
    const m = wheel(gear(12));
    const s = sequenceOf([
      {
        "root/wheel": [key("a", 0.5, 0.5, { "turn.z": 450 }, STEADY), key("b", 2, 0.5, { "turn.z": 900 }, STEADY)],
      },
    ]);
    const list = m.found(s, "strobe");
    expect(brief(list)).toEqual(["stands look"]);
    expect(list[0]?.from).toBe(seconds(0.5));
    expect(list[0]?.to).toBe(seconds(1));
  });
});
