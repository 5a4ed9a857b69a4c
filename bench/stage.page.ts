/**
 * The desk's stage playing 2,000 moving parts against a bare three.js loop that moves and draws the same geometry
 * (one batch of bodies, one of edge lines) with the same light, ground, shadow and contact shadow, in the same page; and
 * the stage with all of them seen through, against itself with all of them solid.
 */
import { indexAssembly } from "../src/core/assembly/assembly";
import { threeQuarterView } from "../src/core/camera/camera";
import { emptyPreparation } from "../src/core/document/preparation";
import { SURROUNDINGS_DEFAULT } from "../src/core/document/surroundings";
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
function playing(): Stage {
  const stage = new Stage(canvasOf(), pkg, index, treesOf(pkg), program, NO_EVENTS);
  stage.resize(WIDTH, HEIGHT, 1);
  stage.setPlaying(true);
  return stage;
}
const [stage, clear] = [playing(), playing()];
clear.setLook({ [pkg.assembly.nodes[0]?.key ?? ""]: { ghost: true } }, SURROUNDINGS_DEFAULT);

const reference = bareLoop(pkg, index.worldBounds, canvasOf());

interface Run {
  script: number;
  frame: number;
}
const KINDS = ["ours", "bare", "clear"] as const;
type Kind = (typeof KINDS)[number];
const runs: Record<Kind, Run[]> = { ours: [], bare: [], clear: [] };
function one(which: Kind, share: number): Run {
  const start = performance.now();
  const drawn = which === "bare" ? reference : which === "clear" ? clear : stage;
  if (drawn instanceof Stage) {
    drawn.setTime(share * SECONDS * TICKS_PER_SECOND);
    drawn.draw();
  } else drawn.draw(share);
  const script = performance.now() - start;
  finish(drawn.renderer);
  return { script, frame: performance.now() - start };
}

async function run(): Promise<object> {
  const ROUNDS = 110;
  const WARM = 10;
  for (let i = 0; i < ROUNDS; i++) {
    const share = ((i * 17) % 41) / 41;
    // Which one goes first changes, so that none pays for the others' garbage.
    for (let k = 0; k < KINDS.length; k++) {
      const which = KINDS[(i + k) % KINDS.length] as Kind;
      const r = one(which, share);
      if (i >= WARM) runs[which].push(r);
    }
    await new Promise((r) => setTimeout(r));
  }
  const of = (which: Kind, what: keyof Run) => median(runs[which].map((r) => r[what]));
  return {
    parts: PARTS,
    script: { ours: of("ours", "script"), bare: of("bare", "script") },
    frame: { ours: of("ours", "frame"), bare: of("bare", "frame") },
    clear: { ours: of("clear", "script"), bare: of("ours", "script") },
  };
}
(window as unknown as { result: Promise<object> }).result = run();
