/**
 * A video of moving parts, frame by frame, against a bare loop that draws the same scene with three.js and feeds the
 * same encoder: with one moment a frame, and with sixteen; and a quick look against the whole thing.
 */
import { BufferTarget, CanvasSource, Mp4OutputFormat, Output } from "mediabunny";
import * as THREE from "three";
import { indexAssembly } from "../src/core/assembly/assembly";
import { decodePackage } from "../src/core/assembly/package";
import { lookNow } from "../src/core/edit/preparationCommands";
import { video } from "../src/core/outputs/video";
import { compile } from "../src/core/program/compile";
import { pose } from "../src/core/program/pose";
import { createPose } from "../src/core/program/sampling";
import { frameToTicks, TICKS_PER_SECOND } from "../src/core/time/time";
import { AssemblyScene } from "../src/stage/assemblyScene";
import { Painter } from "../src/stage/painter";
import { createRenderer, setCamera } from "../src/stage/picture";
import { Surroundings } from "../src/stage/surroundings";
import { memorySink } from "../src/workers/outputs/sink";
import { makeVideo } from "../src/workers/outputs/video";
import { median } from "./assembly";

const [WIDTH, HEIGHT, FRAMES] = [320, 180, 16];
const WHOLE = { width: 1280, height: 720 };
const RATE = { num: 30, den: 1 };

async function given() {
  const [job, bytes] = await Promise.all([
    fetch("/job").then((r) => r.json()),
    fetch("/package").then(async (r) => new Uint8Array(await r.arrayBuffer())),
  ]);
  const pkg = { ...decodePackage(bytes), assembly: job.assembly };
  const program = compile(indexAssembly(job.assembly), job.preparation, job.sequence);
  return { pkg, program, preparation: job.preparation, from: job.from as number };
}
type Given = Awaited<ReturnType<typeof given>>;

/** As it is published. @returns ms a frame, of drawing and encoding */
async function ours(
  { pkg, program, preparation, from }: Given,
  blur: number,
  size = { width: WIDTH, height: HEIGHT },
  plain = false,
): Promise<number> {
  const settings = { ...video.defaults(program), ...size, captions: "none" as const, blur };
  const range = { from, to: from + frameToTicks(FRAMES, RATE) };
  const { signal } = new AbortController();
  const start = { at: 0 };
  let last = 0;
  await makeVideo(
    { ...settings, rateNum: RATE.num, rateDen: RATE.den },
    {
      ...{ program, range, looks: {}, pkg, preparation, plain, sink: memorySink(), signal },
      pcmOf: () => null,
      fileOf: async () => null,
      tell: () => {
        last = performance.now();
        // From the first frame on: what sets up is the same for both.
        if (start.at === 0) start.at = last;
      },
    },
  );
  return (last - start.at) / (FRAMES - 1);
}

/** The scene posed and drawn, and the canvas handed to the encoder; so many draws a frame. */
async function bare({ pkg, program, preparation, from }: Given, draws: number): Promise<number> {
  const canvas = new OffscreenCanvas(WIDTH, HEIGHT);
  const renderer = createRenderer(canvas);
  renderer.setPixelRatio(1);
  renderer.setSize(WIDTH, HEIGHT, false);
  const assembly = new AssemblyScene(pkg, program.index);
  const surroundings = new Surroundings(assembly, renderer, program.index.assembly.up);
  const { min, max } = assembly.worldBounds();
  surroundings.fit(min, max);
  const centre = new THREE.Vector3().copy(min).add(max).multiplyScalar(0.5);
  const radius = Math.max(1, min.distanceTo(max) / 2);
  const painter = new Painter(renderer, assembly, surroundings, radius);
  const look = lookNow(preparation);
  assembly.setLooks(look.nodes);
  surroundings.set(look.surroundings);
  const camera = new THREE.PerspectiveCamera();
  const at = createPose(program);
  const output = new Output({ format: new Mp4OutputFormat(), target: new BufferTarget() });
  const source = new CanvasSource(canvas, {
    ...{ codec: "avc", bitrate: WIDTH * HEIGHT * 30 * 0.12, keyFrameInterval: 3600 },
  });
  output.addVideoTrack(source, { frameRate: 30 });
  await output.start();
  let first = 0;
  let last = 0;
  for (let f = 0; f < FRAMES; f++) {
    const ticks = from + frameToTicks(f, RATE);
    for (let i = 0; i < draws; i++) {
      pose(program, ticks + (frameToTicks(1, RATE) * i) / (2 * draws), at);
      if (assembly.apply(at)) surroundings.moved();
      setCamera(camera, at.camera, program.index.assembly.up, WIDTH / HEIGHT, centre, radius * 1.5);
      painter.draw(camera, false);
    }
    await source.add(frameToTicks(f, RATE) / TICKS_PER_SECOND, 1 / 30);
    last = performance.now();
    if (f === 0) first = last;
  }
  await output.finalize();
  painter.dispose();
  assembly.dispose();
  surroundings.dispose();
  renderer.dispose();
  renderer.forceContextLoss();
  return (last - first) / (FRAMES - 1);
}

async function run() {
  const film = await given();
  const out: Record<string, { ours: number; bare: number }> = {};
  for (const [name, samples, runs] of [
    ["video", 1, 5],
    ["video-blur", 16, 2],
  ] as const) {
    const mine: number[] = [];
    const theirs: number[] = [];
    for (let i = 0; i <= runs; i++) {
      const a = await ours(film, samples);
      const b = await bare(film, samples);
      // The first round warms up.
      if (i === 0) continue;
      mine.push(a);
      theirs.push(b);
    }
    out[name] = { ours: median(mine), bare: median(theirs) };
  }
  // A quick look against the whole thing: a quarter of the size, in plain light.
  const quick: number[] = [];
  const whole: number[] = [];
  for (let i = 0; i < 3; i++) {
    quick.push(await ours(film, 1, { width: WHOLE.width / 4, height: WHOLE.height / 4 }, true));
    whole.push(await ours(film, 1, WHOLE));
  }
  out["video-quick"] = { ours: median(quick), bare: median(whole) };
  return out;
}
(window as unknown as { result: unknown }).result = run();
