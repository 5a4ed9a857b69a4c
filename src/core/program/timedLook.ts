import type { Look } from "../document/looks";
import type { LightSetup } from "../document/surroundings";
import { nth } from "../math/packed";
import type { Program } from "./program";
import type { Pose } from "./sampling";

/** The look that a pose wears because a move said so; null for the one that the sequence began with. */
export function timedLook(program: Program, pose: Pose): Look | null {
  if (program.lookChannels.size === 0) return null;
  for (const [id, channel] of program.lookChannels) {
    if (nth(pose.values, channel) >= 0.5) return program.preparation.looks[id] ?? null;
  }
  return null;
}

/** The lights that a film wears, each once: of what it begins with, and of looks that its moves put on. */
export function lightsWorn(program: Program, first: Pick<Look, "surroundings">): LightSetup[] {
  const looks = [...program.lookChannels.keys()].map((id) => program.preparation.looks[id]);
  return [...new Set([first, ...looks].flatMap((l) => l?.surroundings.light ?? []))];
}
