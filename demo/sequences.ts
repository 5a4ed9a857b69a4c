import { readFileSync } from "node:fs";
import type { AssemblyIndex } from "../src/core/assembly/assembly";
import { fitBox } from "../src/core/camera/camera";
import type { Preparation } from "../src/core/document/preparation";
import type { CameraValues, Sequence } from "../src/core/document/sequence";
import { demoOutputs } from "./outputs";
import { FRESH_CARTRIDGE } from "./preparation";
import { group, part, Script } from "./script";
import { withSounds } from "./sounds";

const STEADY = { kind: "soft", start: 0, stop: 0 } as const;
const GENTLE = { kind: "soft", start: 0.4, stop: 0.5 } as const;
/** A stop that is soft for most of the way, as of a lid let down by hand. */
const SETTLING = { kind: "soft", start: 0.25, stop: 0.7 } as const;

const LID = part("Lid");
const LATCH = part("Lid/Latch");
const CAP = part("Filter/Bayonet cap");
const CARTRIDGE = part("Filter/Cartridge");
const FRESH = { type: "node" as const, key: FRESH_CARTRIDGE };
const PLUG = part("Filter/Drain plug");
const PUMP = part("Pump");
const CRANK = group("crank");

/** The demo's sequences, all of ready-made moves: a cartridge is changed, and the pump is shown at work. */
export function demoSequences(index: AssemblyIndex, preparation: Preparation): Sequence[] {
  const b = index.worldBounds;
  const home: CameraValues = {
    ...fitBox(b.subarray(0, 3), b.subarray(3, 6), 46, 26, 50, 16 / 9, "z", 0.02),
    azimuth: 46,
    elevation: 26,
    roll: 0,
    lens: 50,
  };
  const fresh = freshCartridge(home, index, preparation);
  fresh.outputs = demoOutputs(fresh);
  return [withSounds(fresh), pumpAtWork(home, index, preparation)];
}

const fit = (parts: readonly unknown[], azimuth: number, elevation: number, margin: number, more: object = {}) => ({
  settings: { parts, azimuth, elevation, margin, whole: true, ...more },
  ease: GENTLE,
});

function freshCartridge(home: CameraValues, index: AssemblyIndex, preparation: Preparation): Sequence {
  const s = new Script("Fit a fresh cartridge", home, index, preparation);
  s.next("The Rill H2", "Filter on the left, pump and crank on the right.", 1.2, 0.6);
  s.make("camera-fit", [], 0, 2.4, { ...fit([], 28, 20, 0.08), name: "Camera: all of it" });

  s.next("Open the lid", "Release the latch and swing the lid back.", 0.3, 0.6);
  s.make("camera-fit", [], 0, 1.5, {
    ...fit([LID, part("Filter/Filter bowl")], 30, 26, 0.08),
    name: "Camera: lid and filter",
  });
  const latch = s.make("joint", [LATCH], 1.2, 0.5, {
    settings: { joints: ["latch"], way: "to", value: 62 },
    name: "Latch: release",
  });
  const lid = s.make("pose", [LID], 1.8, 1.5, { settings: { pose: "lid-open" }, ease: SETTLING, name: "Lid: open" });

  s.next("A quarter turn", "Turn the cap a quarter turn left and lift it off.", 0.4, 0.5);
  const turn = s.make("joint", [CAP], 0, 1.3, {
    settings: { joints: ["cap"], way: "to", value: 90 },
    name: "Bayonet cap: a quarter turn",
  });
  s.make("dimension", [CAP], 0, 1.3, {
    settings: { joints: ["cap"], decimals: 0, right: 0.2, up: 0.12, stays: false },
    name: "Bayonet cap: angle",
  });
  const lift = s.make("slide", [CAP], 1.5, 0.8, {
    settings: { direction: [0, 0, 1], distance: 20 },
    name: "Bayonet cap: lift",
  });
  const aside = s.make("slide", [CAP], 2.3, 1.2, {
    settings: { direction: [-1, 0, 0], distance: 150 },
    name: "Bayonet cap: aside",
  });

  s.next("Lift the cartridge out", "Draw the spent cartridge up until it is clear.", 0.4, 0.3);
  s.make("camera-fit", [], 0, 1.6, {
    ...fit([CARTRIDGE, part("Filter/Filter bowl"), CAP], 24, 16, 0.06),
    name: "Camera: room above",
  });
  s.make("take-off", [CARTRIDGE], 0.2, 1.8, {
    settings: {
      direction: [0, 0, 1],
      distance: 158,
      attention: { on: true, length: 705_600_000, times: 2, colour: "brick" },
      leaving: { on: false, length: 423_360_000 },
    },
    name: "Spent cartridge: out",
  });

  s.next("Old beside fresh", "Compare: spent on the right, fresh on the left.", 0.2, 0.8);
  s.make("camera-fit", [], 0, 1.2, {
    ...fit([CARTRIDGE, FRESH, LID, part("Filter/Filter bowl")], 14, 14, 0.05),
    name: "Camera: both",
  });
  s.make("slide", [CARTRIDGE], 0, 1, {
    settings: { direction: [1, 0, 0], distance: 84 },
    name: "Spent cartridge: aside",
  });
  s.make("slide", [FRESH], 0.6, 0, {
    settings: { direction: [0, 0, 1], distance: 158 },
    name: "Fresh cartridge: raised",
  });
  s.make("slide", [FRESH], 0.6, 0, {
    settings: { direction: [-1, 0, 0], distance: 84 },
    name: "Fresh cartridge: beside",
  });
  s.make("appear", [FRESH], 0.6, 0.7, { name: "Fresh cartridge: appears" });
  s.make("label", [CARTRIDGE], 1.3, 2.4, {
    settings: { text: "Spent: 600 l", right: 0.2, up: 0.12, stays: false },
    name: "Label: spent",
  });
  s.make("label", [FRESH], 1.3, 2.4, {
    settings: { text: "Fresh", right: -0.2, up: 0.12, stays: false },
    name: "Label: fresh",
  });

  s.next(
    "Fresh cartridge in",
    "Lower the fresh cartridge until it seats.",
    0.2,
    0.5,
    "Wet both seals with clean water first.",
  );
  s.make("leave", [CARTRIDGE], 0, 0.8, {
    settings: { fade: true, direction: [1, 0, 0], distance: 60 },
    name: "Spent cartridge: leaves",
  });
  s.make("slide", [FRESH], 0.3, 1, {
    settings: { direction: [1, 0, 0], distance: 84 },
    name: "Fresh cartridge: over the bowl",
  });
  s.make("slide", [FRESH], 1.3, 1.9, { settings: { way: "home" }, ease: SETTLING, name: "Fresh cartridge: in" });

  s.next("Close up", "Cap on, a quarter turn back, lid down, latch shut.", 0.3, 0.5);
  s.make("camera-fit", [], 0, 1.5, {
    ...fit([LID, part("Filter/Filter bowl")], 34, 25, 0.08),
    name: "Camera: lid and filter",
  });
  s.back(aside, 0, "Bayonet cap: back over it");
  s.back(lift, 1.2, "Bayonet cap: down");
  s.back(turn, 2.1, "Bayonet cap: a quarter turn back");
  s.back(lid, 3.3, "Lid: closed");
  s.back(latch, 4.7, "Latch: shut");

  s.next(
    "Drain the first fill",
    "Turn the drain plug out three and a half turns; water runs off.",
    0.3,
    0.8,
    "Tools: spanner 14 mm, drip tray",
  );
  s.make("camera-fit", [], 0, 1.5, {
    ...fit([PLUG, part("Filter/Drain seal")], -18, 12, 0.45),
    name: "Camera: drain plug",
  });
  s.make("attention", [PLUG], 0.8, 1, {
    settings: { times: 2, colour: "ochre", dim: 0 },
    name: "Drain plug: attention",
  });
  const drained = s.make("unscrew", [PLUG], 1.8, 2.6, {
    settings: { joints: ["drain"], turns: 3.5 },
    name: "Drain plug: three and a half turns",
  });

  s.next("Plug in", "Hand-tight is enough.", 0.2, 0.5, "Torque: 1.5 Nm at most\nNo spanner: the seat is plastic.");
  s.back(drained, 0, "Drain plug: in again");
  s.make("camera-fit", [], 2.5, 1.9, { ...fit([CRANK, PUMP], 14, 11, 0.05), name: "Camera: crank and pump" });

  s.next("Prime the pump", "One turn of the crank drives three strokes of the plunger.", 0.4, 0.6);
  s.make("camera-fit", [], 0, 1.6, { ...fit([CRANK, PUMP], 14, 11, 0.05), name: "Camera: room for the grip" });
  const crank = s.make("joint", [CRANK], 0.2, 6, {
    settings: { joints: ["crank"], way: "by", value: 360 },
    ease: STEADY,
    name: "Crank: one turn",
  });
  s.make("dimension", [CRANK], 0.2, 6, {
    settings: { joints: ["crank"], decimals: 0, right: 0.26, up: 0.16, stays: false },
    name: "Crank: angle",
  });

  s.next("Leak check", "No drops at the cap and at the drain plug?", 0.3, 0.6);
  s.make("camera-fit", [], 0, 1.6, {
    ...fit([PLUG, CAP, part("Filter/Filter bowl")], -12, 14, 0.1),
    name: "Camera: seals",
  });
  s.make("attention", [PLUG, part("Filter/Drain seal"), part("Filter/Cap seal")], 1, 2.4, {
    settings: { times: 3, colour: "teal", dim: 0.75, covers: [LID, CAP, part("Frame/Filter collar")] },
    name: "Seals: attention, the rest dimmed",
  });

  s.next("Ready", "Ready for clean water.", 0.2, 1.6);
  s.make("camera-fit", [], 0, 2, { ...fit([], 28, 20, 0.08), name: "Camera: all of it" });
  // What a reader of the page may try.
  s.sequence.triggers = Object.fromEntries(
    [
      { id: "try-latch", ...latch, on: LATCH, key: "l" },
      { id: "try-lid", ...lid, on: LID, key: "o" },
      { id: "try-crank", ...crank, on: CRANK, key: "c" },
    ].map((t) => [t.id, t]),
  );
  return s.sequence;
}

function pumpAtWork(home: CameraValues, index: AssemblyIndex, preparation: Preparation): Sequence {
  const s = new Script("How the pump works", home, index, preparation);
  const others = ["Frame", "Filter", "Lid", "Crank drive"].map(part);
  const parts = JSON.parse(readFileSync(new URL("./exploded.json", import.meta.url), "utf8")) as Record<
    string,
    { direction: number[]; distance: number; order: number }
  >;
  const planned = Object.keys(parts).filter((key) => index.indexOf.has(key));
  const exploded = planned.map((key) => ({ type: "node" as const, key }));

  s.next("The drive", "The crank turns the large wheel; the pinion turns three times as fast.", 1, 0.6);
  s.make("camera-fit", [], 0, 1.8, { ...fit([CRANK, PUMP], 26, 14, 0.12), name: "Camera: the gear pair" });
  s.make("label", [part("Crank drive/Gear wheel 36T")], 1.4, 3, {
    settings: { text: "36 teeth", right: 0.24, up: 0.24, stays: false },
    name: "Label: wheel",
  });
  s.make("label", [part("Crank drive/Pinion set/Pinion 12T")], 1.4, 3, {
    settings: { text: "12 teeth", right: -0.22, up: 0.22, stays: false },
    name: "Label: pinion",
  });
  s.make("joint", [CRANK], 1.8, 3, {
    settings: { joints: ["crank"], way: "by", value: 120 },
    name: "Crank: a third of a turn",
  });
  s.make("dimension", [CRANK], 1.8, 3, {
    settings: { joints: ["crank"], decimals: 0, right: 0.2, up: -0.2, stays: false },
    name: "Crank: angle",
  });
  s.make("camera-fit", [], 5, 1.4, { ...fit([], 28, 18, 0.05), name: "Camera: all of it" });

  s.next("The pump alone", "Everything round it steps aside.", 0.2, 0.4);
  const away = s.make("leave", others, 0, 0.9, {
    settings: { fade: true, direction: [0, 0, 1], distance: 0 },
    name: "The rest: leaves",
  });
  s.make("camera-fit", [], 0.9, 1.5, { ...fit([PUMP], 26, 14, 0.2), name: "Camera: pump" });

  s.next("Taken apart", "Two valves, a plunger with two seals, a rod and a disc: no more than that.", 0.2, 1.4);
  s.make("camera-fit", [], 0, 1.6, { ...fit([PUMP], 30, 18, 0.24), name: "Camera: room for all" });
  const apart = s.make("explode", exploded, 0.4, 4.2, {
    settings: {
      parts: Object.fromEntries(planned.map((k) => [`n:${k}`, { ...parts[k], byHand: false }])),
      spread: 1,
      stagger: 0.35,
      gap: 12,
      lines: true,
    },
    name: "Pump: exploded view",
  });
  s.make("label", [part("Pump/Plunger set/Plunger")], 4.7, 2.2, {
    settings: { text: "Plunger", right: 0.2, up: 0.1, stays: false },
    name: "Label: plunger",
  });
  s.make("label", [part("Pump/Inlet valve/Valve disc")], 4.7, 2.2, {
    settings: { text: "Inlet valve", right: 0.12, up: 0.22, stays: false },
    name: "Label: inlet",
  });
  s.make("label", [part("Pump/Outlet valve/Valve disc")], 4.7, 2.2, {
    settings: { text: "Outlet valve", right: -0.16, up: 0.22, stays: false },
    name: "Label: outlet",
  });

  s.next("Together again", "Put together in the reverse order.", 0.2, 0.4);
  s.back(apart, 0, "Pump: together again");

  s.next(
    "The water's way",
    "Up: the inlet opens and water is drawn in. Down: the outlet opens and it is pressed out.",
    0.3,
    0.5,
  );
  s.make("camera-fit", [], 0, 1.4, { ...fit([PUMP], 8, 8, 0.36), name: "Camera: from the front" });
  s.make("joint", [CRANK], 1.4, 6, {
    settings: { joints: ["crank"], way: "by", value: 240 },
    ease: STEADY,
    name: "Crank: two strokes",
  });
  s.make("dimension", [group("plunger")], 1.4, 6, {
    settings: { joints: ["stroke"], decimals: 1, right: 0.3, up: 0.1, stays: false },
    name: "Plunger: stroke",
  });
  // A stroke is 120 degrees of the crank, three seconds: a second and a half each way, the water's path in blue.
  for (const [i, valve] of ["Outlet valve", "Inlet valve", "Outlet valve", "Inlet valve"].entries()) {
    s.make("attention", [part(`Pump/${valve}`)], 1.4 + 1.5 * i, 1.5, {
      settings: { times: 1, colour: "slate", dim: 0 },
      name: `${valve}: water`,
    });
  }

  s.next("In its place", "Three strokes for every turn of the crank.", 0.2, 1.4);
  s.back(away, 1.8, "The rest: back");
  s.make("camera-fit", [], 0, 1.8, { ...fit([], 28, 20, 0.08), name: "Camera: all of it" });
  s.make("joint", [CRANK], 2.8, 4, {
    settings: { joints: ["crank"], way: "by", value: 360 },
    ease: STEADY,
    name: "Crank: one turn",
  });
  return s.sequence;
}
