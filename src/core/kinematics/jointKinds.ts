/**
 * The kinds of joints. A new one is a row here, and a picture of its own in the list that it is chosen from; how it
 * moves, what it is read in and what it may be linked to follow from the row.
 */
const KINDS = {
  hinge: { title: "Hinge", about: "turns about an axis", turns: true, advances: false },
  slide: { title: "Slide", about: "runs along a line", turns: false, advances: true },
  screw: { title: "Screw", about: "turns and advances", turns: true, advances: true },
} as const;

export type JointKind = keyof typeof KINDS;

export interface JointRow {
  title: string;
  about: string;
  /** It turns about its axis, and is read in degrees; else in mm along it. */
  turns: boolean;
  /** It moves along its axis: by its reading, or where it turns by its pitch for each turn. */
  advances: boolean;
}

export const JOINT_KINDS: Readonly<Record<JointKind, JointRow>> = KINDS;
export const JOINT_KIND_NAMES = Object.keys(KINDS) as [JointKind, ...JointKind[]];

type OfKind = { kind: JointKind };

/** Whether a joint is read in degrees, not in mm. */
export const turns = ({ kind }: OfKind): boolean => KINDS[kind].turns;
/** Whether a joint needs a pitch: mm for each turn. */
export const hasPitch = ({ kind }: OfKind): boolean => KINDS[kind].turns && KINDS[kind].advances;

/** How far a joint has gone along its axis at a departure (degrees or mm), mm. */
export function advance({ kind, pitch }: OfKind & { pitch: number }, departed: number): number {
  const row = KINDS[kind];
  if (!row.advances) return 0;
  return row.turns ? (pitch * departed) / 360 : departed;
}
