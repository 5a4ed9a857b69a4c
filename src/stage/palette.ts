import { MOVE_COLOURS, type MoveColour } from "../core/moves/kind";

/** Colours of the stage, as packed sRGB. The interface's own come from its theme; these are the ones that are drawn. */
export const STAGE_COLORS = {
  paperTop: 0xf7f5ef,
  paperBottom: 0xdfdacd,
  ink: 0x1e2a38,
  working: 0x0b6e69,
  part: 0xb9bdc0,
  brick: 0xa63d2f,
  axisX: 0xb0493c,
  axisY: 0x4f7f3a,
  axisZ: 0x3566a0,
} as const;

/** Colours that attention may use, in the order of MOVE_COLOURS. */
const ATTENTION: Record<MoveColour, number> = {
  teal: 0x0b6e69,
  brick: 0xa63d2f,
  ochre: 0xd08a12,
  moss: 0x5f8a3a,
  slate: 0x466ea8,
  plum: 0x84417a,
};
/** Colours of marks on parts: the working colour first, then those of attention. */
export const MARK_COLORS: readonly number[] = [STAGE_COLORS.working, ...MOVE_COLOURS.map((c) => ATTENTION[c])];

export const AXIS_COLORS = [STAGE_COLORS.axisX, STAGE_COLORS.axisY, STAGE_COLORS.axisZ] as const;
