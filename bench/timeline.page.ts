/**
 * The desk's timeline with 2,000 lanes and 20,000 pins, scrubbed and with 500 selected pins dragged, against a bare
 * page that draws the same visible lanes (the same painter over plain data, nothing else) once a frame.
 */

import { IMPORT_DEFAULTS } from "../src/core/assembly/importSettings";
import { encodePackage } from "../src/core/assembly/package";
import { emptyPreparation } from "../src/core/document/preparation";
import { type Key, type Sequence, STEP_DEFAULTS } from "../src/core/document/sequence";
import { nth } from "../src/core/math/packed";
import { TICKS_PER_SECOND } from "../src/core/time/time";
import { selectTimed } from "../src/desk/acts/timingActions";
import { OpenDesk } from "../src/desk/desk";
import { paint, type Scene } from "../src/desk/timeline/paint";
import { TimelinePointer } from "../src/desk/timeline/pointer";
import { TimelineSurface } from "../src/desk/timeline/surface";
import { inksOf } from "../src/desk/timeline/view";
import { allMove, gridAssembly, median } from "./assembly";

const PARTS = 2000;
const PINS = 10;
const CHOSEN = 500;
const WIDTH = 1120;
const HEIGHT = 420;

/** Ten arrivals on every part, in one step of a minute. */
function sequenceOf(pkg: ReturnType<typeof gridAssembly>): Sequence {
  const view = { "aim.x": 0, "aim.y": 0, "aim.z": 0, azimuth: 0, elevation: 20, distance: 1000, roll: 0, lens: 50 };
  const sequence = allMove(pkg, view);
  const step = sequence.steps.s;
  if (!step) throw new Error("no step");
  Object.assign(step, STEP_DEFAULTS, { action: 60 * TICKS_PER_SECOND });
  let i = 0;
  for (const move of Object.values(step.moves)) {
    if (move.kind !== "hand") continue;
    const keys: Record<string, Key> = {};
    for (let k = 0; k < PINS; k++) {
      const at = Math.round((((k + 1) / PINS) * 58 + (i % 29) / 29) * TICKS_PER_SECOND);
      keys[`k${i}-${k}`] = {
        id: `k${i}-${k}`,
        at,
        lead: TICKS_PER_SECOND * (1 + (i % 3)),
        ease: { kind: "soft", start: 0.3, stop: 0.4 },
        values: { "slide.z": (k * 7 + i) % 40, "turn.z": k * 30 },
      };
    }
    move.keys = keys;
    i++;
  }
  return sequence;
}

const pkg = gridAssembly(PARTS);
const desk = new OpenDesk({
  projectId: "measured",
  projectName: "Measured",
  assembly: { number: 1, fileName: "measured.glb", settings: IMPORT_DEFAULTS, identities: {} },
  bytes: encodePackage(pkg).buffer as ArrayBuffer,
  trees: [],
  documents: [
    { id: "prep", kind: "preparation", revision: 0, body: emptyPreparation() },
    { id: "seq", kind: "sequence", revision: 0, body: sequenceOf(pkg) },
  ],
});

function host(): {
  canvas: HTMLCanvasElement;
  scroller: HTMLElement;
  spacer: HTMLElement;
  playhead: HTMLElement;
  over: HTMLElement;
} {
  const scroller = document.createElement("div");
  scroller.style.cssText = `position:relative;width:${WIDTH}px;height:${HEIGHT}px;overflow:auto`;
  const spacer = document.createElement("div");
  const canvas = document.createElement("canvas");
  canvas.style.cssText = "position:sticky;left:0;top:0;display:block";
  const playhead = document.createElement("div");
  playhead.innerHTML = '<div class="playhead-flag"><span class="playhead-time"></span></div>';
  playhead.style.cssText = "position:absolute;left:0;top:0;width:1px;height:100%";
  spacer.append(canvas);
  scroller.append(spacer);
  document.body.append(scroller, playhead);
  return { canvas, scroller, spacer, playhead, over: document.createElement("div") };
}

const parts = host();
const surface = new TimelineSurface(desk, parts);
surface.resize(WIDTH, HEIGHT, 1);
// Pointers made by script cannot be captured.
parts.canvas.setPointerCapture = () => {};
const pointer = new TimelinePointer(surface);
void pointer;

// The bare page: plain data as the surface has it now, and a canvas of the same size.
const plain: Scene = { ...surface.scene, pins: new Set(), moves: new Set() };
const bareCanvas = document.createElement("canvas");
bareCanvas.width = WIDTH;
bareCanvas.height = HEIGHT;
document.body.append(bareCanvas);
const bareCtx = bareCanvas.getContext("2d") as CanvasRenderingContext2D;
const inks = inksOf(bareCanvas);
const bare = () => paint(bareCtx, plain, surface.view, inks);
/** Drawing is put off by the browser until its result is asked for. */
const flush = (canvas: HTMLCanvasElement) => canvas.getContext("2d")?.getImageData(0, 0, 1, 1);

interface Runs {
  ours: number[];
  bare: number[];
}

function event(type: string, x: number, y: number): PointerEvent {
  const r = parts.canvas.getBoundingClientRect();
  return new PointerEvent(type, {
    clientX: r.left + x,
    clientY: r.top + y,
    button: 0,
    buttons: 1,
    pointerId: 1,
    bubbles: true,
  });
}

async function run(): Promise<object> {
  const WARM = 8;
  const ROUNDS = 60;
  const scrub: Runs = { ours: [], bare: [] };
  const drag: Runs = { ours: [], bare: [] };
  const one = (canvas: HTMLCanvasElement, work: () => void): number => {
    const start = performance.now();
    work();
    const took = performance.now() - start;
    flush(canvas);
    return took;
  };
  const measure = async (into: Runs, ours: (i: number) => void) => {
    for (let i = 0; i < ROUNDS; i++) {
      const a = () => one(parts.canvas, () => ours(i));
      const b = () => one(bareCanvas, bare);
      // Which one goes first changes, so that neither pays for the other's garbage.
      const [x, y] = i % 2 ? [a(), b()] : [b(), a()].reverse();
      if (i >= WARM) {
        into.ours.push(x as number);
        into.bare.push(y as number);
      }
      await new Promise((r) => setTimeout(r));
    }
  };
  await measure(scrub, (i) => {
    desk.seek(((i * 37) % 600) * (TICKS_PER_SECOND / 10));
    // A seek moves the playhead only; drawing all the same is what a bare page does.
    surface.draw();
  });
  const chosen = surface.rows
    .flatMap((r) => (r.kind === "lane" ? r.lane.pins : []))
    .filter((_, i) => i % 40 === 0)
    .slice(0, CHOSEN);
  selectTimed(
    desk,
    chosen.map(({ step, move, key }) => ({ step, move, key })),
    [],
  );
  plain.pins = surface.scene.pins;
  plain.focusStep = surface.scene.focusStep;
  const first = chosen[0];
  if (!first) throw new Error("no pin");
  const row = surface.rows.findIndex((r) => r.kind === "lane" && r.lane.pins.includes(first));
  const x = surface.xOf(nth(surface.scene.steps.action, first.position) + first.at);
  const y = 50 + row * 26 + 10;
  parts.canvas.dispatchEvent(event("pointerdown", x, y));
  parts.canvas.dispatchEvent(event("pointermove", x + 6, y));
  if (surface.scene.shift === 0) throw new Error("The pins are not being dragged.");
  await measure(drag, (i) => {
    parts.canvas.dispatchEvent(event("pointermove", x + 10 + ((i * 7) % 50), y));
    surface.draw();
  });
  return {
    lanes: surface.rows.length,
    pins: PARTS * PINS,
    scrub: { ours: median(scrub.ours), bare: median(scrub.bare) },
    drag: { ours: median(drag.ours), bare: median(drag.bare) },
  };
}
(window as unknown as { result: Promise<object> }).result = run();
