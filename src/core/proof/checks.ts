import { cameraMotion } from "./cameraMotion";
import type { Check } from "./check";
import { contact } from "./contact";
import { creep } from "./creep";
import { faults } from "./faults";
import { flashes } from "./flashes";
import { idle } from "./idle";
import { leftOut } from "./leftOut";
import { narration } from "./narration";
import { overWords } from "./overWords";
import { reading } from "./reading";
import { seams } from "./seams";
import { seen } from "./seen";
import { spinsBack } from "./spinsBack";
import { strobe } from "./strobe";
import { unequal } from "./unequal";
import { wrongWay } from "./wrongWay";

/** Every check there is, in the order in which findings of one place are told. */
export const CHECKS: readonly Check[] = [
  faults,
  seams,
  spinsBack,
  wrongWay,
  unequal,
  creep,
  cameraMotion,
  contact,
  leftOut,
  seen,
  strobe,
  flashes,
  reading,
  overWords,
  narration,
  idle,
];

export const checkOf = (id: string): Check | undefined => CHECKS.find((c) => c.id === id);
