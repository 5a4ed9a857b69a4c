import { captions } from "./captions";
import type { OutputKind } from "./kind";
import { loop } from "./loop";
import { page } from "./page";
import { scene } from "./scene";
import { sheets } from "./sheets";
import { frames, still } from "./stills";
import { video } from "./video";

/** All kinds of outputs, in the order in which they are offered. */
export const OUTPUT_KINDS: readonly OutputKind[] = [
  video,
  loop,
  still,
  frames,
  page,
  sheets,
  scene,
  captions,
] as readonly OutputKind[];

export const outputKindOf = (id: string): OutputKind | undefined => OUTPUT_KINDS.find((k) => k.id === id);
