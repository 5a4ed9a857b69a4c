import type { AssemblyIndex } from "../src/core/assembly/assembly";
import { fitBox } from "../src/core/camera/camera";
import type { Preparation } from "../src/core/document/preparation";
import type { CameraValues, Sequence } from "../src/core/document/sequence";
import { FRESH_CARTRIDGE } from "./preparation";
import { group, part, Script } from "./script";

const STEADY = { kind: "soft", start: 0, stop: 0 } as const;
const GENTLE = { kind: "soft", start: 0.4, stop: 0.5 } as const;

const LID = part("Lid");
const LATCH = part("Lid/Latch");
const CAP = part("Filter/Bayonet cap");
const CARTRIDGE = part("Filter/Cartridge");
const FRESH = { type: "node" as const, key: FRESH_CARTRIDGE };
const PLUG = part("Filter/Drain plug");
const PUMP = part("Pump");
const CRANK = group("crank");
const INLET = part("Pump/Inlet valve/Valve disc");

/**
 * A first cut as it comes off the desk on a Friday: each step has what is easily got wrong, so that the proof has
 * something to find. What each is, is said beside it.
 */
export function roughCut(index: AssemblyIndex, preparation: Preparation): Sequence[] {
  const b = index.worldBounds;
  const home: CameraValues = {
    ...fitBox(b.subarray(0, 3), b.subarray(3, 6), 46, 26, 50, 16 / 9, "z", 0.02),
    ...{ azimuth: 46, elevation: 26, roll: 0, lens: 50 },
  };
  const s = new Script("Change the cartridge, rough cut", home, index, preparation);
  const fit = (parts: readonly unknown[], azimuth: number, elevation: number, margin: number) => ({
    settings: { parts, azimuth, elevation, margin, whole: true },
    ease: GENTLE,
  });

  // The caption is gone before it can be read.
  s.next("The Rill H2", "Here you see the Rill H2 with its filter on the left and the pump with its crank.", 0.4, 0.2);
  s.make("camera-fit", [], 0, 1.6, { ...fit([], 28, 20, 0.08), name: "Camera: all of it" });

  // The camera whips over, and stays dead still at once.
  s.next("Open the lid", "Release the latch and swing the lid back.", 0.3, 0.6);
  s.make("camera-fit", [], 0, 0.25, {
    ...fit([LID, part("Filter/Filter bowl")], 80, 30, 0.08),
    name: "Camera: the lid",
  });
  s.make("joint", [LATCH], 0.9, 0.5, { settings: { joints: ["latch"], way: "to", value: 62 }, name: "Latch: release" });
  const lid = s.make("pose", [LID], 1.5, 1.5, { settings: { pose: "lid-open" }, name: "Lid: open" });

  // One swing of the latch is slower than its like.
  s.hand(LATCH, "Latch: rattles", [
    { at: 1.8, lead: 0.4, values: { "joint.latch": 50 } },
    { at: 2.2, lead: 0.4, values: { "joint.latch": 62 } },
    { at: 2.6, lead: 0.4, values: { "joint.latch": 50 } },
    { at: 3.3, lead: 0.7, values: { "joint.latch": 62 } },
    { at: 3.7, lead: 0.4, values: { "joint.latch": 50 } },
  ]);

  // Aside, the cap goes through the post that holds the latch.
  s.next("Cap off", "Turn the cap a quarter turn left and lift it off.", 0.3, 0.6);
  s.make("camera-fit", [], 0, 1.2, { ...fit([CAP, CARTRIDGE, LID], 24, 18, 0.3), name: "Camera: room above" });
  const turn = s.make("joint", [CAP], 0.6, 1.2, {
    settings: { joints: ["cap"], way: "to", value: 90 },
    name: "Bayonet cap: a quarter turn",
  });
  const lift = s.make("slide", [CAP], 1.8, 0.8, {
    settings: { direction: [0, 0, 1], distance: 20 },
    name: "Bayonet cap: lift",
  });
  const aside = s.make("slide", [CAP], 2.6, 1.2, {
    settings: { direction: [-0.8, -0.6, 0], distance: 150 },
    name: "Bayonet cap: aside",
  });

  // The fresh one is there from one frame to the next, and its label is too quick to be read.
  s.next("Old out, fresh in", "Lift the spent cartridge out and set the fresh one in.", 0.3, 0.6);
  s.make("take-off", [CARTRIDGE], 0, 1.6, {
    settings: {
      direction: [0, 0, 1],
      distance: 158,
      attention: { on: false, length: 705_600_000, times: 2, colour: "brick" },
      leaving: { on: true, length: 423_360_000 },
    },
    name: "Spent cartridge: out",
  });
  s.make("appear", [FRESH], 2.4, 0, {
    settings: { fade: false, direction: [0, 0, 1], distance: 0 },
    name: "Fresh cartridge: there",
  });
  s.make("label", [FRESH], 2.5, 0.6, {
    settings: { text: "Fresh cartridge, 600 litres", right: -0.2, up: 0.2, stays: false },
    name: "Label: fresh",
  });

  // Down it goes, but a hair too far, and creeps back.
  s.next("Cap on", "Set the cap on and turn it shut.", 0.3, 0.5);
  s.back(aside, 0, "Bayonet cap: back over it");
  s.back(lift, 1.2, "Bayonet cap: down");
  s.back(turn, 2.1, "Bayonet cap: shut");
  s.back(lid, 3.3, "Lid: closed");
  s.hand(part("Filter/Cap seal"), "Cap seal: seats", [
    { at: 2.6, lead: 0.4, values: { "slide.z": -0.6 } },
    { at: 4.2, lead: 1.6, values: { "slide.z": -0.4 } },
  ]);

  // The plug comes out and is forgotten; nothing happens for a long time.
  s.next("Drain", "Take the drain plug out.", 0.3, 7);
  s.make("camera-fit", [], 0, 1.4, { ...fit([PLUG, part("Filter/Drain seal")], -18, 12, 0.45), name: "Camera: plug" });
  s.make("unscrew", [PLUG], 1.5, 1.8, { settings: { joints: ["drain"], turns: 3.5 }, name: "Drain plug: out" });
  s.make("slide", [PLUG], 3.3, 0.8, {
    settings: { direction: [0, -1, 0], distance: 24 },
    name: "Drain plug: aside",
  });

  // 10 typed where 370 was meant, and so fast that the teeth stand still in the video.
  s.next("Prime the pump", "Turn the crank until water comes.", 0.3, 0.6);
  s.make("camera-fit", [], 0, 1.4, { ...fit([CRANK, PUMP], 14, 11, 0.05), name: "Camera: crank and pump" });
  s.hand(CRANK, "Crank: turned", [
    { at: 3.9, lead: 2.333333, values: { "joint.crank": 350 }, ease: STEADY },
    { at: 5.3, lead: 1.2, values: { "joint.crank": 10 } },
  ]);
  s.hand(CRANK, "Crank: fast", [{ at: 8.2, lead: 2, values: { "joint.crank": 610 }, ease: STEADY }]);

  // Its stroke does not end where it began.
  s.next("The valve", "The inlet valve opens with every stroke.", 0.3, 0.6);
  s.make("camera-fit", [], 0, 1.4, { ...fit([part("Pump/Inlet valve")], 30, 16, 0.5), name: "Camera: valve" });
  s.hand(
    INLET,
    "Valve disc: strokes",
    [
      { at: 1.6, lead: 0, values: { "slide.x": 0 } },
      { at: 2, lead: 0.4, values: { "slide.x": 1.6 } },
      { at: 2.5, lead: 0.5, values: { "slide.x": 0.6 } },
    ],
    { times: 4, period: null, way: "same" },
  );
  return [s.sequence];
}
