import { seeded } from "../../src/cli/measure/random";
import type { AssemblyIndex } from "../../src/core/assembly/assembly";
import { parseDocument } from "../../src/core/document/parse";
import { emptyPreparation, type Preparation } from "../../src/core/document/preparation";
import type { HandMove, Key, MadeMove, Sequence, Target } from "../../src/core/document/sequence";
import type { Ease } from "../../src/core/ease/ease";
import { makeMove } from "../../src/core/edit/moveCommands";
import type { Geometry } from "../../src/core/geometry/geometry";
import { MOVE_KINDS } from "../../src/core/moves/kinds";
import { joint, key, seconds, sequenceOf } from "./assembly";
import { assemblyOf, box, disc, gear, mesh } from "./shapes";
import { sound } from "./sound";

/*
 * Machines and films made up by chance, the same for the same seed: with wheels and boxes, joints, links, groups,
 * arrivals by hand of every channel, repeats, cameras and every kind of ready-made move. They make little sense, which
 * is the point: much in them is to be found fault with, and what is recorded of them is a test of all that looks.
 */

export interface MadeUp {
  index: AssemblyIndex;
  geometries: Geometry[];
  preparation: Preparation;
  sequence: Sequence;
}

/** A leaning plate with a step in it, unlike itself from every side. */
const bracket = () =>
  mesh(
    "bracket",
    [0, 0, 0, 30, 0, 0, 30, 20, 0, 0, 20, 0, 0, 0, 6, 30, 0, 6, 30, 20, 14, 0, 20, 6].map((v) => v - 5),
    [0, 2, 1, 0, 3, 2, 4, 5, 6, 4, 6, 7, 0, 1, 5, 0, 5, 4, 1, 2, 6, 1, 6, 5, 2, 3, 7, 2, 7, 6, 3, 0, 4, 3, 4, 7],
  );

const node = (key: string) => ({ type: "node", key }) as const;

/** A machine of eight parts and a film of four steps over it. @param seed any whole number */
export function madeUpFilm(seed: number): MadeUp {
  const random = seeded(seed);
  const between = (a: number, b: number) => a + (b - a) * random();
  const whole = (n: number) => Math.floor(random() * n);
  const one = <T>(list: readonly T[]): T => list[whole(list.length)] as T;
  const often = (share: number) => random() < share;
  const round = (v: number, to = 0.01) => Math.round(v / to) * to;

  const screw = disc(4, 18, 12);
  const toothed = gear(one([8, 9, 12, 20]), often(0.3));
  const at = () => [round(between(-70, 70), 1), round(between(-70, 70), 1), round(between(-30, 30), 1)] as const;
  const { index, geometries } = assemblyOf({
    plate: { shape: box("plate", 120, 90, 8), at: [0, 0, -40] },
    bracket: { shape: bracket(), at: at() },
    wheel: { shape: toothed, at: at() },
    twin: { shape: toothed, at: at(), below: "bracket" },
    s1: { shape: screw, at: at() },
    s2: { shape: screw, at: at() },
    s3: { shape: screw, at: at(), below: "bracket" },
    cap: { shape: box("cap", 14, 9, 22), at: at() },
  });
  const keys = index.assembly.nodes.map((n) => n.key).slice(1);

  const preparation: Preparation = {
    ...emptyPreparation(),
    groups: { g: { id: "g", name: "Screws", members: ["root/s1", "root/s2"] } },
    joints: {
      h: joint("h", node("root/bracket"), { name: "Swing", limits: { min: -20, max: 95, hard: often(0.5) } }),
      w: joint("w", node("root/wheel"), { name: "Shaft" }),
      l: joint("l", node("root/cap"), { name: "Rail", kind: "slide", direction: [0, 1, 0] }),
      p: joint("p", node("root/twin"), { name: "Follower", point: [2, 0, 0] }),
    },
    links: often(0.6)
      ? { r: { id: "r", name: "Gears", driver: "w", follower: "p", kind: "ratio", num: 3, den: -2, offset: 0 } }
      : {},
    nodes: often(0.3) ? { "root/s3": { hidden: true }, "root/cap": { pivot: { at: [3, -2, 5], in: "part" } } } : {},
    poses: { open: { id: "open", name: "open", target: node("root/bracket"), values: { "joint.h": 60 } } },
  };

  const STEADY: Ease = { kind: "soft", start: 0, stop: 0 };
  const eases: Ease[] = [
    { kind: "soft", start: 0.3, stop: 0.4 },
    STEADY,
    { kind: "curve", x1: 0.3, y1: -0.2, x2: 0.6, y2: 1.3 },
  ];
  const jointOf: Record<string, string> = { bracket: "h", wheel: "w", cap: "l" };
  const valuesOf = (key: string): Record<string, number> => {
    const values: Record<string, number> = {};
    const name = key.slice(key.lastIndexOf("/") + 1);
    const own = jointOf[name];
    for (const [channel, share, low, high] of [
      ["slide.x", 0.4, -60, 60],
      ["slide.y", 0.2, -60, 60],
      ["slide.z", 0.3, -40, 90],
      ["turn.z", 0.3, -400, 700],
      ["turn.x", 0.15, -200, 200],
      ["size.x", 0.05, 0.5, 2],
      ["opacity", 0.1, 0, 1],
      ["tint", 0.1, 0, 1],
    ] as const)
      if (often(share)) values[channel] = round(between(low, high));
    if (own && often(0.5)) values[`joint.${own}`] = round(between(-60, 400));
    if (often(0.06)) values.visible = whole(2);
    return Object.keys(values).length > 0 ? values : { "slide.x": round(between(-50, 50)) };
  };
  const cameraValues = (): Record<string, number> => {
    const values: Record<string, number> = {};
    for (const [channel, share, low, high] of [
      ["azimuth", 0.6, -150, 260],
      ["elevation", 0.4, -10, 70],
      ["distance", 0.5, 120, 900],
      ["aim.x", 0.3, -80, 80],
      ["lens", 0.15, 20, 120],
    ] as const)
      if (often(share)) values[channel] = round(between(low, high));
    return Object.keys(values).length > 0 ? values : { azimuth: 70 };
  };
  const arrivals = (of: () => Record<string, number>): Key[] => {
    let t = 0;
    return Array.from({ length: 1 + whole(4) }, (_, i) => {
      t += often(0.15) ? 0.05 : round(between(0.2, 1.1), 0.1);
      const lead = often(0.4) && i > 0 ? "previous" : seconds(Math.min(t, round(between(0.05, 1), 0.05)));
      return { id: `k${i}`, at: seconds(t), lead, ease: one(eases), values: of() };
    });
  };

  const moved = () =>
    Object.fromEntries([
      ...Array.from({ length: 1 + whole(3) }, () => {
        const key = one(keys);
        return [key, arrivals(() => valuesOf(key))];
      }),
      ...(often(0.5) ? [["camera", arrivals(cameraValues)]] : []),
    ]) as Record<string, Key[]>;
  const sequence = structuredClone(sequenceOf([moved(), moved(), moved(), moved()]));
  const words = ["Lift", "the cap", "slowly", "until the bracket", "swings free", "and the wheel turns"];
  let kind = whole(MOVE_KINDS.length);
  for (const [i, step] of Object.values(sequence.steps).entries()) {
    step.stillBefore = seconds(one([0, 0.3, 0.5, 1.5]));
    step.action = seconds(round(between(1, 4), 0.1));
    step.stillAfter = seconds(one([0, 0.2, 0.8]));
    step.caption = Array.from({ length: whole(12) }, () => one(words)).join(" ");
    step.note = one(["", "Tool: hex key 4 mm; torque wrench\nTorque: 2.5 N·m\nWipe it first.", "Grease it."]);
    for (const move of Object.values(step.moves) as HandMove[]) {
      if (often(0.2))
        move.repeat = {
          times: 2 + whole(3),
          period: often(0.5) ? null : seconds(1.1 + whole(3) / 30),
          way: one(["same", "swing", "add"] as const),
        };
      const channel = Object.keys(Object.values(move.keys)[0]?.values ?? {})[0];
      if (channel && /^(slide|turn)/.test(channel) && often(0.25))
        move.beyond = { [channel]: { before: "hold", after: one(["straight", "repeat", "swing"] as const) } };
      const last = Object.values(move.keys).at(-1);
      if (last && channel && channel in last.values && often(0.3)) {
        const v = last.values[channel] ?? 0;
        last.shapes = {
          [channel]: {
            kind: "handles",
            leave: { share: 0.3, value: round(between(-1, 1) * (Math.abs(v) + 5)) },
            arrive: { share: 0.35, value: round(between(-1, 1) * (Math.abs(v) + 5)) },
          },
        };
      }
    }
    for (let n = 0; n < 3; n++) {
      const target = one([...keys.map(node), { type: "group", id: "g" } as const]);
      const spec = MOVE_KINDS[kind++ % MOVE_KINDS.length] as (typeof MOVE_KINDS)[number];
      const hinged = ["joint", "pose"].includes(spec.kind);
      try {
        const made = makeMove(
          spec.kind,
          {
            ...{ index, preparation, targets: [hinged ? node("root/bracket") : target], camera: "main" },
            nodesOf: (t: Target) =>
              (t.type === "node" ? [t.key] : ["root/s1", "root/s2"]).map((k) => index.indexOf.get(k) ?? -1),
            view: { lens: 50 },
          },
          seconds(round(between(0, 1.5), 0.1)),
          spec.kind,
        );
        const move = { ...made, id: `made${i}${n}`, length: seconds(round(between(0.1, 1.4), 0.1)) } as MadeMove;
        if (often(0.5)) move.ease = one(eases);
        step.moves[move.id] = move;
      } catch {
        // What this kind needs is not there: another comes.
      }
    }
  }
  // A shaft that runs steadily through a step, and through the still after it: seen in pictures it may stand.
  const [spun] = Object.values(sequence.steps);
  if (spun && often(0.6))
    spun.moves.spin = {
      ...{ id: "spin", name: "Spin", on: true, folder: null, colour: null, note: "", kind: "hand" },
      target: node("root/wheel"),
      keys: { r: key("r", 1.2, 1.2, { "joint.w": whole(24) * 100 * (often(0.5) ? 1 : -1) }, STEADY) },
    };
  // What moves something that a revision took away.
  const [, later] = Object.values(sequence.steps);
  if (later && often(0.4))
    later.moves.gone = {
      ...{ id: "gone", name: "Gone", on: true, folder: null, colour: null, note: "", kind: "hand" },
      target: node("root/was"),
      keys: { k: key("k", 0.8, 0.5, { "slide.x": 12 }) },
    };
  const order = sequence.stepOrder;
  sequence.sounds = Object.fromEntries(
    Array.from({ length: whole(5) }, (_, i) => {
      const it = sound(`v${i}`, round(between(0.3, 4), 0.1), one(order), round(between(0, 2), 0.1));
      return [it.id, it];
    }),
  );
  const main = sequence.cameras.main;
  if (main) sequence.cameras.near = { ...structuredClone(main), id: "near", name: "Near" };
  if (main) main.home = { ...main.home, distance: one([260, 420, 900]), azimuth: whole(360), elevation: whole(60) };
  sequence.rate = { num: one([24, 25, 30, 60]), den: 1 };
  return { index, geometries, preparation, sequence: parseDocument("sequence", sequence) };
}
