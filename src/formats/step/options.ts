export interface StepOptions {
  /** Largest distance between the mesh and the true surface, as a share of the shape's size. Default 0.002. */
  deflection?: number;
  /** Largest angle between neighbouring facets, degrees. Default 14. */
  angleDeg?: number;
}

export const STEP_DEFAULTS: Required<StepOptions> = { deflection: 0.002, angleDeg: 14 };
