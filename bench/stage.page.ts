/**
 * The desk's stage playing 2,000 moving parts against a bare three.js loop that moves and draws the same geometry
 * (one batch of bodies, one of edge lines) with the same light, ground, shadow and contact shadow, in the same page.
 */
import { indexAssembly } from "../src/core/assembly/assembly";
import { threeQuarterView } from "../src/core/camera/camera";
import { emptyPreparation } from "../src/core/document/preparation";
import { compile } from "../src/core/program/compile";
import { TICKS_PER_SECOND } from "../src/core/time/time";
import { Stage } from "../src/stage/stage";
import { allMove, gridAssembly, median, SECONDS, treesOf } from "./assembly";
import { bareLoop } from "./bareLoop";
import { canvasOf, finish, HEIGHT, NO_EVENTS, WIDTH } from "./page";

const PARTS = 2000;

const pkg = gridAssembly(PARTS);
const index = indexAssembly(pkg.assembly);
const view = threeQuarterView(index.worldBounds.subarray(0, 3), index.worldBounds.subarray(3, 6), WIDTH / HEIGHT, "z");
const program = compile(index, emptyPreparation(), allMove(pkg, view as unknown as Record<string, number>));
const stage = new Stage(canvasOf(), pkg, index, treesOf(pkg), program, NO_EVENTS);
stage.resize(WIDTH, HEIGHT, 1);
stage.setPlaying(true);

const reference = bareLoop(pkg, index.worldBounds, canvasOf());

interface Run {
  script: number;
  frame: number;
}
const runs = { ours: [] as Run[], bare: [] as Run[] };
function one(which: "ours" | "bare", share: number): Run {
  const start = performance.now();
  if (which === "ours") {
    stage.setTime(share * SECONDS * TICKS_PER_SECOND);
    stage.draw();
  } else reference.draw(share);
  const script = performance.now() - start;
  finish(which === "ours" ? stage.renderer : reference.renderer);
  return { script, frame: performance.now() - start };
}

async function run(): Promise<object> {
  const ROUNDS = 110;
  const WARM = 10;
  for (let i = 0; i < ROUNDS; i++) {
    const share = ((i * 17) % 41) / 41;
    // Which one goes first changes, so that neither pays for the other's garbage.
    for (const which of i % 2 ? (["ours", "bare"] as const) : (["bare", "ours"] as const)) {
      const r = one(which, share);
      if (i >= WARM) runs[which].push(r);
    }
    await new Promise((r) => setTimeout(r));
  }
  const of = (which: "ours" | "bare", what: keyof Run) => median(runs[which].map((r) => r[what]));
  return {
    parts: PARTS,
    script: { ours: of("ours", "script"), bare: of("bare", "script") },
    frame: { ours: of("ours", "frame"), bare: of("bare", "frame") },
  };
}
(window as unknown as { result: Promise<object> }).result = run();
