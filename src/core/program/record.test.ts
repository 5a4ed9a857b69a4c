import { expect, test } from "vitest";
import { smallIndex } from "../../../tests/support/assembly";
import { richFilm, richPreparation } from "../../../tests/support/richFilm";
import { allReports, compile } from "./compile";
import { chainOf, pose, poseAlong } from "./pose";
import { createPose } from "./sampling";

/** Short and exact to eight digits, so that a record tells a wrong number from rounding on another machine. */
const short = (v: number) => (Math.abs(v) < 1e-9 ? "0" : Number(v.toPrecision(8)).toString());

test("a film with nearly everything in it poses as recorded", async () => {
  const program = compile(smallIndex(), richPreparation, richFilm());
  const at = createPose(program);
  const lines: string[] = [`${program.steps.ids.join(" ")}: ${Array.from(program.steps.end, short).join(" ")}`];
  for (const r of allReports(program).sort((a, b) => (JSON.stringify(a) < JSON.stringify(b) ? -1 : 1)))
    lines.push(JSON.stringify(r));
  for (const target of [...program.placed.keys()].sort())
    lines.push(`${target}: ${program.placed.get(target)?.length} transitions`);
  for (let k = 0; k <= 48; k++) {
    const t = ((program.steps.length * 1.06) / 48) * k - program.steps.length * 0.02;
    pose(program, t, at);
    const places = program.index.assembly.nodes.map((_, i) =>
      Array.from(at.world.subarray(16 * i, 16 * i + 15), short)
        .filter((_, j) => j % 4 < 3)
        .join(" "),
    );
    lines.push(
      `-- ${short(t)}`,
      ...places,
      `marks ${Array.from(at.opacity, short)} ${Array.from(at.tint, short)} ${at.tintColour} ${at.visible}`,
      `camera ${Array.from(at.camera, short).join(" ")}`,
    );
  }
  await expect(lines.join("\n")).toMatchFileSnapshot("record.txt");
});

test("in whatever order it is asked, and again with the same buffer", () => {
  const program = compile(smallIndex(), richPreparation, richFilm());
  const used = createPose(program);
  for (const share of [0.9, 0.1, 0.5, 0.3, 0.7, 0.05]) {
    const t = share * program.steps.length;
    pose(program, t, used);
    const fresh = createPose(program);
    pose(program, t, fresh);
    for (const name of ["world", "camera", "opacity", "tint", "visible", "tintColour", "values"] as const)
      expect(Array.from(used[name]), name).toEqual(Array.from(fresh[name]));
  }
});

test("a node posed with what owns it alone stands where it does among all", () => {
  const program = compile(smallIndex(), richPreparation, richFilm());
  const [alone, all] = [createPose(program), createPose(program)];
  const { nodes } = program.index.assembly;
  for (const node of nodes.keys()) {
    const along = chainOf(program, node);
    expect([...along.moving].every((n) => node >= n && node < (program.index.end[n] as number))).toBe(true);
    // What others do by themselves is not sampled for it.
    const every = program.scalars.groupsBut(new Uint8Array(program.scalars.channels)).length;
    if (nodes[node]?.key === "root/base") expect(along.sampled.scalars.length).toBeLessThan(every);
    for (const share of [0.9, 0.1, 0.5, 0.3, 0.7, 0.05]) {
      poseAlong(program, share * program.steps.length, alone, along);
      pose(program, share * program.steps.length, all);
      expect(alone.world.slice(16 * node, 16 * node + 16), nodes[node]?.key).toEqual(
        all.world.slice(16 * node, 16 * node + 16),
      );
      expect(alone.camera).toEqual(all.camera);
    }
  }
});

test("transitions of every target are listed with where they begin and end", async () => {
  const film = richFilm();
  const program = compile(smallIndex(), richPreparation, film);
  const lines = [
    { type: "node", key: "root/arm" } as const,
    { type: "node", key: "root/arm/a" } as const,
    { type: "node", key: "root/base" } as const,
    { type: "group", id: "g" } as const,
    { type: "camera", id: "main" } as const,
  ].flatMap((t) =>
    program
      .transitions(t)
      .map(
        (x) =>
          `${t.type === "node" ? t.key : t.id} ${x.channel} ${x.step} ${x.t0}-${x.t1} ${x.from.map(short)} > ${x.to.map(short)}`,
      ),
  );
  await expect(lines.join("\n")).toMatchFileSnapshot("record-transitions.txt");
});
