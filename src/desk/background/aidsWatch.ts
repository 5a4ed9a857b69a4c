import type { BufferGeometry } from "three";
import { nth } from "../../core/math/packed";
import { cameraAt, localMiddle, nodeAt, stepFrames } from "../../core/program/path";
import { chainOf, pose, poseAlong } from "../../core/program/pose";
import type { Program } from "../../core/program/program";
import { createPose, type Pose } from "../../core/program/sampling";
import { TICKS_PER_SECOND } from "../../core/time/time";
import type { PathShown } from "../../stage/aids";
import type { Stage } from "../../stage/stage";
import type { Desk } from "../port";
import type { DeskState } from "../state";

/** More points than this are thinned, so that a long step's path stays quick to draw and to read. */
const MOST = 300;
/** How long paths are worked out at a stretch, ms: well within a frame, however large the assembly. */
const SLICE_MS = 5;
/** Times before and after the playhead at which ghosts stand, seconds. */
const GHOSTS = [-0.6, -0.3, 0.3, 0.6];
/** Of more drawn parts than this no ghosts are shown: they would say little and cost much. */
const MOST_GHOSTS = 200;

/** Keeps paths, ghosts and second view on the stage as they were asked for. @returns a function that ends it */
export function watchAids(desk: Desk, stage: Stage): () => void {
  let before: DeskState | null = null;
  let step = "";
  let ghostPoses: Pose[] = [];
  let slice: ReturnType<typeof setTimeout> | undefined;
  let posed: { of: Program; at: Pose } | null = null;
  const look = (now: DeskState) => {
    const old = before;
    before = now;
    const changed =
      !old ||
      old.programVersion !== now.programVersion ||
      old.selection !== now.selection ||
      old.aids !== now.aids ||
      old.sequenceId !== now.sequenceId;
    // While it plays only the time changes, at every frame; the path of the step it comes to is drawn when it stops.
    if (!changed && now.playing && old?.playing) return;
    const here = desk.stepAtPlayhead(now.ticks)?.id ?? "";
    if (changed || here !== step || old?.through !== now.through) paths(now, here);
    step = here;
    if (changed || (now.aids.ghosts && !now.playing && old?.ticks !== now.ticks) || old?.playing !== now.playing)
      ghosts(now);
    if (changed) second(now);
  };
  const paths = (now: DeskState, here: string) => {
    clearTimeout(slice);
    const { program } = desk;
    const times = now.aids.path && here ? stepFrames(program, here, MOST) : [];
    const node = now.selection[0];
    const part = node !== undefined && program.moving.includes(node) ? new Float32Array(3 * times.length) : null;
    const camera = now.through ? null : new Float32Array(3 * times.length);
    const version = now.programVersion;
    if (posed?.of !== program) posed = { of: program, at: createPose(program) };
    const { at } = posed;
    // Where one part and the camera stand hangs on few of thousands that move.
    const [along, middle] = [chainOf(program, node ?? -1), localMiddle(program.index, node ?? 0)];
    let i = 0;
    const go = () => {
      if (desk.state.programVersion !== version || program !== desk.program) return;
      const until = performance.now() + SLICE_MS;
      for (; i < times.length && performance.now() < until; i++) {
        poseAlong(program, nth(times, i), at, along);
        if (part) nodeAt(at, node as number, middle, part, 3 * i);
        if (camera) cameraAt(program, at, camera, 3 * i);
      }
      if (i < times.length) {
        slice = setTimeout(go);
        return;
      }
      const shown: PathShown[] = [];
      if (part && travels(part)) shown.push({ kind: "part", points: part });
      if (camera && travels(camera)) shown.push({ kind: "camera", points: camera });
      stage.aids.setPaths(shown);
      stage.invalidate();
    };
    if (part || camera) go();
    else {
      stage.aids.setPaths([]);
      stage.invalidate();
    }
  };
  const ghosts = (now: DeskState) => {
    const list: { geometry: BufferGeometry; matrices: Float64Array[] }[] = [];
    const drawn = now.aids.ghosts && !now.playing ? drawnBelow(desk, stage, now.selection) : [];
    if (drawn.length > 0) {
      if (ghostPoses[0]?.structure !== desk.program.structure) ghostPoses = GHOSTS.map(() => createPose(desk.program));
      const times = GHOSTS.map((s) => now.ticks + s * TICKS_PER_SECOND).filter(
        (t) => t >= 0 && t <= desk.program.steps.length,
      );
      times.forEach((t, i) => {
        pose(desk.program, t, ghostPoses[i] as Pose);
      });
      for (const n of drawn) {
        const geometry = stage.assembly.shapeOf(n) as BufferGeometry;
        list.push({
          geometry,
          matrices: times.map((_, i) => (ghostPoses[i] as Pose).world.slice(16 * n, 16 * n + 16)),
        });
      }
    }
    stage.aids.setGhosts(list);
    stage.invalidate();
  };
  const second = (now: DeskState) => {
    const wanted = now.aids.second;
    if (wanted === "" || wanted === "other") stage.setSecond(wanted || null);
    else stage.setSecond(desk.program.cameras.get(wanted)?.first ?? null);
  };
  look(desk.state);
  const ended = desk.store.subscribe(look);
  return () => {
    clearTimeout(slice);
    ended();
  };
}

/** Drawn nodes of a selection; none where there are too many to be told apart. */
function drawnBelow(desk: Desk, stage: Stage, selection: readonly number[]): number[] {
  const out: number[] = [];
  for (const root of selection) {
    for (let n = root; n < nth(desk.index.end, root); n++) {
      if (stage.assembly.shapeOf(n)) out.push(n);
      if (out.length > MOST_GHOSTS) return [];
    }
  }
  return out;
}

/** Whether a path goes anywhere. */
function travels(points: Float32Array): boolean {
  for (let i = 3; i < points.length; i++) if (Math.abs(nth(points, i) - nth(points, i % 3)) > 1e-3) return true;
  return false;
}
