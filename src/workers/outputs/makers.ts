import { makeCaptions } from "./captions";
import { makeLoop } from "./loop";
import type { Looker, Maker } from "./maker";
import { lookAtPage, makePage } from "./page";
import { makeScene } from "./scene";
import { lookAtSheet, makeSheets } from "./sheets";
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

/** What shows an output that is read rather than watched before it is made. */
export const LOOKERS: Readonly<Record<string, Looker<never>>> = { page: lookAtPage, sheets: lookAtSheet };
