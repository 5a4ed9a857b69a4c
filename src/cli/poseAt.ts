import { CAMERA_CHANNELS } from "../core/document/sequence";
import { pose } from "../core/program/pose";
import { createPose } from "../core/program/sampling";
import { frameAt, parseTime, ticksToSeconds } from "../core/time/time";
import { ProjectFileError } from "../formats/out/project/file";
import { openProject } from "./openProject";

/** The pose of a project's sequence at a time, as the stage shows it. World matrices, column-major, mm. */
export async function poseAt(file: string, name: string | undefined, at: string): Promise<unknown> {
  const { program } = await openProject(file, name);
  const { sequence, index } = program;
  const { assembly } = index;
  const time = parseTime(at, sequence.rate);
  if ("error" in time) throw new ProjectFileError(time.error);
  if (time.ticks < 0) throw new ProjectFileError("A time before the start does not exist.");
  const out = createPose(program);
  pose(program, time.ticks, out);
  const nodes = Object.fromEntries(
    assembly.nodes.map((n, i) => [
      n.key,
      {
        matrix: Array.from(out.world.subarray(16 * i, 16 * i + 16)),
        opacity: out.opacity[i],
        visible: out.visible[i] === 1,
      },
    ]),
  );
  const c = Object.fromEntries(CAMERA_CHANNELS.map((channel, i) => [channel, out.camera[i]]));
  return {
    seconds: ticksToSeconds(time.ticks),
    frame: frameAt(time.ticks, sequence.rate),
    nodes,
    camera: {
      aim: [c["aim.x"], c["aim.y"], c["aim.z"]],
      azimuth: c.azimuth,
      elevation: c.elevation,
      distance: c.distance,
      roll: c.roll,
      lens: c.lens,
    },
  };
}
