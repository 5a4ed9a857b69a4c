import { makeCaptions } from "./captions";
import { makeLoop } from "./loop";
import type { Maker } from "./maker";
import { makePage } from "./page";
import { makeScene } from "./scene";
import { makeSheets } from "./sheets";
import { makeFrames, makeStill } from "./stills";
import { makeVideo } from "./video";

/** What makes each kind of output; see core/outputs/kinds.ts. */
export const MAKERS: Readonly<Record<string, Maker<never>>> = {
  video: makeVideo,
  loop: makeLoop,
  still: makeStill,
  frames: makeFrames,
  page: makePage,
  sheets: makeSheets,
  scene: makeScene,
  captions: makeCaptions,
};
