import type { Snapping } from "../../stage/handleDrag";

const NAME = "plextan-snapping";
export const SNAPPING_DEFAULT: Snapping = { on: true, distanceMm: 1, angleDeg: 5, from: "steps", geometry: false };

/** Snapping as it was last set in this browser; what cannot be read is the default. */
export function lastSnapping(): Snapping {
  try {
    const found = JSON.parse(localStorage.getItem(NAME) ?? "{}") as Partial<Snapping>;
    const step = (v: unknown, or: number) => (typeof v === "number" && Number.isFinite(v) && v >= 0 ? v : or);
    return {
      on: found.on ?? SNAPPING_DEFAULT.on,
      distanceMm: step(found.distanceMm, SNAPPING_DEFAULT.distanceMm),
      angleDeg: step(found.angleDeg, SNAPPING_DEFAULT.angleDeg),
      from: found.from === "grid" ? "grid" : "steps",
      geometry: found.geometry === true,
    };
  } catch {
    return SNAPPING_DEFAULT;
  }
}

export function rememberSnapping(snapping: Snapping): void {
  try {
    localStorage.setItem(NAME, JSON.stringify(snapping));
  } catch {
    // Without storage it holds until the page is left.
  }
}
