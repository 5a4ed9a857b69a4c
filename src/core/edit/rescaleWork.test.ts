import { expect, test } from "vitest";
import { key, sequenceOf, smallAssembly } from "../../../tests/support/assembly";
import { indexAssembly } from "../assembly/assembly";
import { cadFinish } from "../assembly/cadFinish";
import { emptyPreparation, type Preparation } from "../document/preparation";
import { FinishSchema } from "../document/surroundings";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { compile } from "../program/compile";
import { pose } from "../program/pose";
import { createPose } from "../program/sampling";
import { TICKS_PER_SECOND } from "../time/time";
import { runCommand } from "./history";
import { rescalePreparation, rescaleSequence } from "./rescaleWork";

const K = 25.4;

/** The same assembly written in another unit. */
function grown() {
  const small = smallAssembly();
  const nodes = small.nodes.map((n) => ({ ...n, home: n.home.map((v, i) => (i >= 12 && i < 15 ? v * K : v)) }));
  const geometries = small.geometries.map((g) => ({
    ...g,
    bounds: { min: g.bounds.min.map((v) => v * K) as Triple, max: g.bounds.max.map((v) => v * K) as Triple },
  }));
  return indexAssembly({ ...small, nodes, geometries });
}

test("work on an assembly read in another unit moves as before, larger", () => {
  const p: Preparation = emptyPreparation();
  const base = { zero: 0, flipped: false, pitch: 0, limits: null, direction: [0, 0, 1] as Triple };
  p.nodes["root/arm"] = { pivot: { at: [5, 1, 2], in: "part" } };
  p.joints = {
    turn: {
      ...base,
      id: "turn",
      name: "turn",
      target: { type: "node", key: "root/arm/a" },
      kind: "hinge",
      point: [3, 4, 0],
    },
    run: {
      ...base,
      id: "run",
      name: "run",
      target: { type: "node", key: "root/arm/b" },
      kind: "slide",
      point: [0, 0, 0],
      zero: 2,
    },
    thread: {
      ...base,
      id: "thread",
      name: "thread",
      target: { type: "node", key: "root/base" },
      kind: "screw",
      point: [1, 0, 0],
      pitch: 1.5,
    },
  };
  p.links = {
    rack: { id: "rack", name: "rack", driver: "turn", follower: "run", kind: "rack", travel: 40, offset: 1 },
  };
  const sequence = sequenceOf([
    {
      "root/arm": [key("a", 1, 0.5, { "slide.x": 7, "turn.z": 33 })],
      "root/arm/a": [key("b", 1, 0.5, { "joint.turn": 80 })],
      "root/base": [key("c", 1, 0.5, { "joint.thread": 720 })],
    },
  ]);
  const before = compile(indexAssembly(smallAssembly()), p, sequence);
  const after = compile(
    grown(),
    runCommand(p, rescalePreparation(K)).document,
    runCommand(sequence, rescaleSequence(p, K)).document,
  );
  const [u, v] = [createPose(before), createPose(after)];
  for (const s of [0, 0.8, 1.3, 2]) {
    pose(before, s * TICKS_PER_SECOND, u);
    pose(after, s * TICKS_PER_SECOND, v);
    u.world.forEach((value, i) => {
      const wanted = i % 16 >= 12 && i % 16 < 15 ? value * K : value;
      expect(v.world[i]).toBeCloseTo(wanted, 6);
    });
    // The camera stands as far as the model is large; its angles stay.
    expect(v.camera[5]).toBeCloseTo(nth(u.camera, 5) * K, 6);
    expect(v.camera[3]).toBe(u.camera[3]);
  }
});

test("a CAD colour becomes a finish that is valid", () => {
  expect(FinishSchema.parse(cadFinish([1, 0, 0.2158605, 0.5]))).toMatchObject({ color: "#FF0080", opacity: 0.5 });
  expect(FinishSchema.parse(cadFinish(null)).opacity).toBe(1);
});
