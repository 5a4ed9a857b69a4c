import type { BufferGeometry } from "three";
import { cameraPath, nodePath, stepFrames } from "../../core/program/path";
import { createPose, type Pose, pose } from "../../core/program/pose";
import { TICKS_PER_SECOND } from "../../core/time/time";
import type { PathShown } from "../../stage/aids";
import type { Stage } from "../../stage/stage";
import type { Desk } from "./desk";
import type { DeskState } from "./state";

/** More points than this are thinned, so that a long step's path stays quick to draw and to read. */
const MOST = 300;
/** Times before and after the playhead at which ghosts stand, seconds. */
const GHOSTS = [-0.6, -0.3, 0.3, 0.6];
const INSET_SHARE = 0.34;
const INSET_EDGE = 10;

/** Keeps paths, ghosts and second view on the stage as they were asked for. @returns a function that ends it */
export function watchAids(desk: Desk, stage: Stage): () => void {
  let before: DeskState | null = null;
  let ghostPoses: Pose[] = [];
  const look = (now: DeskState) => {
    const old = before;
    before = now;
    const step = desk.stepAtPlayhead(now.ticks)?.id ?? "";
    const oldStep = old ? (desk.stepAtPlayhead(old.ticks)?.id ?? "") : "";
    const changed = !old || old.programVersion !== now.programVersion || old.selection !== now.selection || old.aids !== now.aids || old.sequenceId !== now.sequenceId;
    if (changed || step !== oldStep || old?.through !== now.through) paths(now, step);
    if (changed || (now.aids.ghosts && !now.playing && old?.ticks !== now.ticks) || old?.playing !== now.playing) ghosts(now);
    if (changed) inset(now);
  };
  const paths = (now: DeskState, step: string) => {
    const shown: PathShown[] = [];
    const times = now.aids.path && step ? stepFrames(desk.program, step, MOST) : [];
    const node = now.selection[0];
    if (times.length > 1 && node !== undefined && moves(desk, node)) shown.push({ kind: "part", points: nodePath(desk.program, node, times) });
    if (times.length > 1 && !now.through) shown.push({ kind: "camera", points: cameraPath(desk.program, times) });
    stage.aids.setPaths(shown.filter((p) => travels(p.points)));
    stage.invalidate();
  };
  const ghosts = (now: DeskState) => {
    const list: { geometry: BufferGeometry; matrices: Float64Array[] }[] = [];
    if (now.aids.ghosts && !now.playing && now.selection.length > 0) {
      if (ghostPoses.length === 0 || ghostPoses[0]?.structure !== desk.program.structure) ghostPoses = GHOSTS.map(() => createPose(desk.program));
      const times = GHOSTS.map((s) => now.ticks + s * TICKS_PER_SECOND).filter((t) => t >= 0 && t <= desk.program.steps.length);
      times.forEach((t, i) => {
        pose(desk.program, t, ghostPoses[i] as Pose);
      });
      for (const root of now.selection) {
        for (let n = root; n < (desk.index.end[root] as number); n++) {
          const geometry = stage.assembly.shapeOf(n);
          if (geometry) list.push({ geometry, matrices: times.map((_, i) => (ghostPoses[i] as Pose).world.slice(16 * n, 16 * n + 16)) });
        }
      }
    }
    stage.aids.setGhosts(list);
    stage.invalidate();
  };
  const inset = (now: DeskState) => {
    const { second } = now.aids;
    const tracks = second && second !== "other" ? desk.program.cameras.get(second) : undefined;
    if (!second || (second !== "other" && !tracks)) {
      stage.setInset(null);
      return;
    }
    stage.setInset({ camera: tracks?.first ?? "other", ...insetPlace(desk, stage) });
  };
  look(desk.state);
  const ended = desk.store.subscribe(look);
  return () => {
    ended();
    stage.aids.setPaths([]);
    stage.aids.setGhosts([]);
    stage.setInset(null);
  };
}

/** Where the second view lies on the stage, CSS pixels: below on the right, in the picture's shape. */
export function insetPlace(desk: Desk, stage: Stage): { left: number; top: number; width: number; height: number } {
  const { width, height } = desk.sequence.picture;
  const w = Math.round(Math.min(stage.width * INSET_SHARE, (stage.height * 0.45 * width) / height));
  const h = Math.round((w * height) / width);
  return { left: Math.round(stage.width - w - INSET_EDGE), top: Math.round(stage.height - h - INSET_EDGE), width: w, height: h };
}

/** Whether a node, or anything that carries it, is moved at all. */
function moves(desk: Desk, node: number): boolean {
  return desk.program.moving.includes(node);
}

/** Whether a path goes anywhere. */
function travels(points: Float32Array): boolean {
  for (let i = 3; i < points.length; i++) if (Math.abs((points[i] as number) - (points[i % 3] as number)) > 1e-3) return true;
  return false;
}
