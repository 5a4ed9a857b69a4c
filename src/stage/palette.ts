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

export const AXIS_COLORS = [STAGE_COLORS.axisX, STAGE_COLORS.axisY, STAGE_COLORS.axisZ] as const;
