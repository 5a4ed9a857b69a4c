import { readFileSync } from "node:fs";
import type { AssemblyIndex } from "../src/core/assembly/assembly";
import { copyKey } from "../src/core/assembly/prepared";
import type { Look } from "../src/core/document/looks";
import type { PartTarget } from "../src/core/document/parts";
import { emptyPreparation, type Joint, type Preparation } from "../src/core/document/preparation";
import { FINISH_LIBRARY, type Finish, type Surroundings } from "../src/core/document/surroundings";
import { addCopy, lookNow, wear } from "../src/core/edit/preparationCommands";
import type { Triple } from "../src/core/math/triple";

const node = (key: string): PartTarget => ({ type: "node", key: `Rill H2/${key}` });
const group = (id: string): PartTarget => ({ type: "group", id });

/** The cartridge that goes in, a copy of the one that comes out. */
export const FRESH_CARTRIDGE = copyKey("Rill H2/Filter/Cartridge", "fresh");

/** Which finish each kind of part wears, by its CAD name. */
const FINISHES: readonly [RegExp, string][] = [
  [/^(Base plate|Lid shell)$/, "paint-warm-white"],
  [/^Back wall$/, "paint-slate"],
  [/^(Grip|Turning grip|Bayonet cap|Lid badge|Drain plug)$/, "plastic-amber"],
  [/^(Filter collar|Bowl seat|Hinge bracket|Latch|Crank arm)$/, "plastic-black"],
  [/^(Foot pad)$/, "rubber-black"],
  [/seal$/i, "rubber-red"],
  [/^(Cap screw|Arm screw|Foot bolt)/, "zinc"],
  [/^(Gear wheel|Valve body|Inlet hose)/, "brass"],
  [/^(Pinion|Crank shaft|Crank pin|Wrist pin|Grip pin|Hinge pin|Latch pin|Valve spring)/, "steel-polished"],
  [/^(Plunger|Outlet spout|Valve cap|Bearing)$/, "aluminium"],
  [/^Connecting rod$/, "steel-black"],
  [/^(Crank disc|Valve disc)$/, "paint-brick"],
  [/^Filter bowl$/, "glass-clear"],
  [/^Pump cylinder$/, "acrylic-frost"],
];

function finishOf(id: string): Finish {
  const found = FINISH_LIBRARY.find((f) => f.id === id);
  if (!found) throw new Error(`The library has no finish ${id}.`);
  const { color, roughness, metalness, opacity, emissive, glow } = found;
  return { color, roughness, metalness, opacity, emissive, glow };
}

/** A joint of the demo. Points are in the target's own frame (a group's in the assembly's), mm. */
function joint(
  id: string,
  name: string,
  target: PartTarget,
  kind: Joint["kind"],
  point: Triple,
  direction: Triple,
  more: Partial<Joint> = {},
): Joint {
  return { id, name, target, kind, point, direction, zero: 0, flipped: false, pitch: 0, limits: null, ...more };
}

const PRODUCT: Surroundings = {
  light: "studio",
  key: { strength: 1.05, azimuth: -39, elevation: 53 },
  occlusion: 0.35,
  contact: 0.5,
  ground: "reflection",
  background: { top: "#F7F5EF", bottom: "#DDD8CA" },
  edges: { on: true, weight: 0.8 },
};
const SERVICE: Surroundings = {
  light: "bench",
  key: { strength: 0.9, azimuth: 20, elevation: 62 },
  occlusion: 0,
  contact: 0.35,
  ground: "shadow",
  background: { top: "#FBFAF6", bottom: "#FBFAF6" },
  edges: { on: true, weight: 1.5 },
};

/** What the demo's animator has prepared: groups, joints, links, finishes and two looks. */
export function demoPreparation(index: AssemblyIndex): Preparation {
  const p = emptyPreparation();
  const keys = (owner: string, names: readonly string[]) => names.map((n) => `Rill H2/${owner}/${n}`);

  // Groups cut across the CAD tree: what turns together is in two sub-assemblies.
  p.groups = {
    crank: {
      id: "crank",
      name: "Crank",
      members: keys("Crank drive", ["Crank shaft", "Gear wheel 36T", "Crank arm", "Grip", "Grip pin", "Arm screw"]),
    },
    pinion: {
      id: "pinion",
      name: "Pinion and disc",
      members: [
        ...keys("Crank drive/Pinion set", ["Pinion shaft", "Pinion 12T"]),
        ...keys("Pump", ["Crank disc", "Crank pin"]),
      ],
    },
    plunger: { id: "plunger", name: "Plunger and pin", members: keys("Pump", ["Wrist pin", "Plunger set"]) },
  };
  const joints: Joint[] = [
    joint("crank", "Crank", group("crank"), "hinge", [78, 0, 152], [0, 1, 0]),
    joint("pinion", "Pinion", group("pinion"), "hinge", [18, 22, 152], [0, 1, 0]),
    joint("stroke", "Stroke", group("plunger"), "slide", [18, 14, 106], [0, 0, 1]),
    joint("lid", "Lid opening", node("Lid"), "hinge", [-72, 58, 188], [1, 0, 0], {
      flipped: true,
      limits: { min: 0, max: 84, hard: true },
    }),
    joint("latch", "Latch opening", node("Lid/Latch"), "hinge", [0, -61, 188], [1, 0, 0], {
      flipped: true,
      limits: { min: 0, max: 75, hard: true },
    }),
    joint("drain", "Drain plug thread", node("Filter/Drain plug"), "screw", [0, -62, 26], [0, -1, 0], { pitch: 1.75 }),
    joint("cap", "Cap turn", node("Filter/Bayonet cap"), "hinge", [0, 0, 152], [0, 0, 1], {
      limits: { min: 0, max: 90, hard: true },
    }),
  ];
  p.joints = Object.fromEntries(joints.map((j) => [j.id, j]));
  p.links = {
    gears: {
      id: "gears",
      name: "Gear pair 36 : 12",
      driver: "crank",
      follower: "pinion",
      kind: "gears",
      driverTeeth: 36,
      followerTeeth: 12,
      internal: false,
      offset: 0,
    },
    rod: {
      id: "rod",
      name: "Crank disc, rod and plunger",
      driver: "pinion",
      follower: "stroke",
      kind: "crank-slider",
      rod: node("Pump/Connecting rod"),
      radius: 16,
      rodLength: 62,
      offset: 0,
      // The pin stands straight up at home, along the slide; the plunger hangs below it.
      homeAngle: 0,
      branch: -1,
    },
  };
  p.poses = {
    "lid-open": { id: "lid-open", name: "open", target: node("Lid"), values: { "joint.lid": 82 } },
    "lid-closed": { id: "lid-closed", name: "closed", target: node("Lid"), values: { "joint.lid": 0 } },
    "cap-free": { id: "cap-free", name: "unlocked", target: node("Filter/Bayonet cap"), values: { "joint.cap": 90 } },
  };

  for (const { key, name, kind } of index.assembly.nodes) {
    const finish = kind === "part" ? FINISHES.find(([pattern]) => pattern.test(name))?.[1] : undefined;
    if (finish) p.nodes[key] = { finish: finishOf(finish) };
  }
  addCopy("fresh", "Rill H2/Filter/Cartridge", "Fresh cartridge")(p);
  p.surroundings = PRODUCT;
  p.looks.product = look("product", "Product", p);
  const service = structuredClone(p);
  wear(service, {
    ...lookNow(p),
    nodes: {
      ...lookNow(p).nodes,
      ...Object.fromEntries(
        ["Rill H2/Frame/Back wall", "Rill H2/Pump/Pump cylinder", "Rill H2/Frame/Filter collar"].map((k) => [
          k,
          { ...p.nodes[k], ghost: true },
        ]),
      ),
    },
    surroundings: SERVICE,
  });
  p.looks.service = look("service", "Service", service);
  p.defaultLook = "product";
  return p;
}

function look(id: string, name: string, from: Preparation): Look {
  return { id, name, ...structuredClone(lookNow(from)), thumbnail: picture(id) };
}

/** The look's small picture beside this file; made by hand from the desk. */
function picture(id: string): string | null {
  try {
    return `data:image/jpeg;base64,${readFileSync(new URL(`./looks/${id}.jpg`, import.meta.url)).toString("base64")}`;
  } catch {
    return null;
  }
}
