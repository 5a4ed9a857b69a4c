import type { Feature } from "../../core/geometry/features";
import { formatLength, type LengthUnit } from "../../core/units/units";

const WORDS: Readonly<Record<Feature["surface"], string>> = {
  plane: "Flat face",
  cylinder: "Cylinder",
  cone: "Cone",
  sphere: "Sphere",
  torus: "Ring",
  other: "Face",
  mesh: "Face",
  line: "Straight edge",
  circle: "Circle",
  corner: "Corner",
};

/** A feature in a few words: what it is, its size, and whether it is exact or fitted, with the fit's error. */
export function featureText(f: Feature, unit: LengthUnit): string {
  const size = f.radius > 0 ? `, radius ${formatLength(f.radius, unit, 3)}` : "";
  const source = f.exact ? "exact" : `fitted, off by at most ${formatLength(f.error, unit, 4)}`;
  return `${WORDS[f.surface]}${size} (${source})`;
}
