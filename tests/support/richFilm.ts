import { parseDocument } from "../../src/core/document/parse";
import { emptyPreparation, type Preparation } from "../../src/core/document/preparation";
import type { HandMove, MadeMove, Sequence, Target } from "../../src/core/document/sequence";
import { runCommand } from "../../src/core/edit/history";
import { addMove, makeMove, reversedCopies } from "../../src/core/edit/moveCommands";
import { joint, key, seconds, sequenceOf, smallIndex } from "./assembly";

/*
 * A film with nearly everything in it that a film may have, over the small assembly: what is recorded of it (numbers,
 * drawings) is a test of all that works it out.
 */

const ARM = "root/arm";
const A = "root/arm/a";
const B = "root/arm/b";
const BASE = "root/base";
export const node = (k: string): Target => ({ type: "node", key: k });

export const richPreparation: Preparation = {
  ...emptyPreparation(),
  groups: { g: { id: "g", name: "Pair", members: [B, BASE] } },
  nodes: { [A]: { pivot: { at: [3, 0, -2], in: "part" } }, [BASE]: { name: "Foot" } },
  joints: {
    h: joint("h", { type: "node", key: ARM }, { name: "Swing", point: [1, 2, 0] }),
    s: joint(
      "s",
      { type: "node", key: A },
      { name: "Thread", kind: "screw", pitch: 1.5, flipped: true, point: [0, 4, 0] },
    ),
    l: joint(
      "l",
      { type: "node", key: BASE },
      { name: "Rail", kind: "slide", direction: [0, 1, 0], limits: { min: -5, max: 12, hard: false } },
    ),
    p: joint("p", { type: "group", id: "g" }, { name: "Follower", direction: [0, 1, 0], point: [5, 0, 0] }),
  },
  links: { r: { id: "r", name: "Gears", driver: "h", follower: "p", kind: "ratio", num: 3, den: 2, offset: 0 } },
  poses: {
    open: { id: "open", name: "open", target: { type: "node", key: ARM }, values: { "joint.h": 110, "slide.x": 4 } },
  },
};

/** The film: five steps of hand keys and ready-made moves. */
export function richFilm(): Sequence {
  const index = smallIndex();
  let s = sequenceOf([
    {
      [ARM]: [
        key("a1", 0.5, 0.3, { "slide.x": 12, "turn.z": 30 }),
        key("a2", 1.4, 0.8, { "slide.x": -8, "turn.z": 395, "size.y": 1.5 }),
        key("a3", 2, "previous", { "slide.x": 20 }),
      ],
      [A]: [
        key("o1", 1, 0.6, { opacity: 0.2, tint: 0.7, "tint-colour": 2 }),
        key("o2", 1.8, 0.4, { opacity: 1, visible: 0 }),
      ],
      camera: [key("c1", 1.2, 1, { azimuth: 130, distance: 300 })],
    },
    {
      [BASE]: [key("b1", 0.6, 0.2, { "joint.l": 15 }), key("b2", 1.2, 0.4, { "joint.l": 2 })],
      [A]: [key("v", 0.2, 0, { visible: 1 })],
    },
    {},
    {},
    {},
  ]);
  const first = s.steps.s0?.moves[`m-${ARM.replaceAll("/", "_")}`] ?? Object.values(s.steps.s0?.moves ?? {})[0];
  if (first?.kind !== "hand" || !s.steps.s0) throw new Error("no move");
  const [a1, a2, a3] = ["a1", "a2", "a3"].map((k) => (first as HandMove).keys[k]);
  if (!a1 || !a2 || !a3) throw new Error("no arrivals");
  a2.shapes = {
    "slide.x": { kind: "handles", leave: { share: 0.4, value: 9 }, arrive: { share: 0.3, value: -6 } },
    "turn.z": { kind: "straight" },
  };
  a3.shapes = { "slide.x": { kind: "smooth" } };
  a1.orientation = [0, Math.SQRT1_2, 0, Math.SQRT1_2];
  first.beyond = { "slide.x": { before: "hold", after: "swing" } };
  const group: HandMove = {
    ...first,
    beyond: undefined,
    id: "grp",
    name: "Pair",
    target: { type: "group", id: "g" },
    keys: { q: key("q", 0.8, 0.5, { "slide.z": 7, opacity: 0.5 }) },
    repeat: { times: 3, period: seconds(1), way: "add" },
  };
  s.steps.s0.moves.grp = group;
  const add = (
    step: string,
    id: string,
    kind: string,
    targets: Target[],
    settings: Record<string, unknown> = {},
    more: Partial<MadeMove> = {},
  ) => {
    const context = {
      index,
      preparation: richPreparation,
      targets,
      camera: "main",
      nodesOf: (t: Target) =>
        t.type === "node"
          ? [index.indexOf.get(t.key) ?? -1]
          : [index.indexOf.get(B) ?? -1, index.indexOf.get(BASE) ?? -1],
      view: { lens: 50 },
    };
    const made = makeMove(kind, context, seconds(0.3), id);
    const move = {
      ...made,
      id,
      length: seconds(0.8),
      ...more,
      settings: { ...made.settings, ...settings },
    } as MadeMove;
    s = runCommand(s, addMove(step, move)).document;
  };
  add("s1", "off", "take-off", [node(B)], {
    direction: [0, 0, 1],
    distance: 40,
    attention: { on: true, length: seconds(0.4), times: 2, colour: "ochre" },
    leaving: { on: true, length: seconds(0.3) },
  });
  add("s1", "fit", "camera-fit", [], { parts: [node(ARM)] });
  add("s2", "screw", "unscrew", [node(A)], { turns: 2.5 });
  add("s2", "drive", "joint", [node(ARM)], { joints: ["h"], way: "by", value: 80 }, { start: seconds(0.9) });
  add("s2", "follow", "camera-follow", [node(ARM)], { share: 0.6 }, { start: seconds(0.4), length: seconds(1.2) });
  add("s2", "push", "camera-push", [], {}, { start: seconds(1.8), length: seconds(0.4) });
  add("s3", "pose", "pose", [node(ARM)], { pose: "open" });
  add("s3", "look", "attention", [node(B)], { dim: 0.6 }, { start: seconds(0.2) });
  add(
    "s3",
    "press",
    "stretch",
    [node(A)],
    { factor: 0.6, axis: "z", restore: true },
    { start: seconds(1.3), length: seconds(0.3) },
  );
  add("s3", "orbit", "camera-orbit", [], { degrees: 70 });
  add("s3", "roll", "camera-roll", [], {}, { start: seconds(1.2) });
  add("s3", "text", "label", [node(A)], {});
  add("s4", "gone", "leave", [node(BASE)], {});
  add("s4", "table", "turntable", [], { turns: -1 }, { length: seconds(1.5) });
  add("s4", "explode", "explode", [node(A), node(B)], {
    parts: {
      [`n:${A}`]: { direction: [1, 0, 0], distance: 30, order: 0, byHand: false },
      [`n:${B}`]: { direction: [0, 1, 0], distance: 20, order: 1, byHand: false },
    },
    stagger: 0.5,
  });
  s = runCommand(s, reversedCopies(s, [{ step: "s1", move: "off" }], "s4", seconds(1.4), () => "rev").command).document;
  s = structuredClone(s);
  s.markers = { m: { id: "m", name: "Here", step: "s1", at: seconds(0.7) } };
  s.goal = seconds(14);
  return parseDocument("sequence", s);
}
