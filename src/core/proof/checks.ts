import type { Check } from "./check";
import { reading } from "./reading";
import { seams } from "./seams";
import { spinsBack } from "./spinsBack";

/** Every check there is, in the order in which findings of one place are told. */
export const CHECKS: readonly Check[] = [seams, spinsBack, reading];

export const checkOf = (id: string): Check | undefined => CHECKS.find((c) => c.id === id);
