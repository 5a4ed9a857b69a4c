import type { Link } from "../document/preparation";
import { dot } from "../math/triple";
import { CamCurve } from "./cam";
import { CrankSlider } from "./crankSlider";
import { FourBar } from "./fourBar";
import type { LinkFunction } from "./linkFunction";
import type { Axis } from "./planar";

/**
 * Works a link out for the axes it couples (assembly frame, home).
 * @throws RangeError in words for the user where the geometry does not allow it.
 */
export function linkFunction(link: Link, driver: Axis, follower: Axis): LinkFunction {
  switch (link.kind) {
    case "ratio":
      return linear(link.num / link.den, link.offset);
    case "gears": {
      // External wheels turn against each other when their axes point the same way; internal ones with each other.
      const same = dot(driver.direction, follower.direction) >= 0 ? 1 : -1;
      return linear(((link.internal ? 1 : -1) * same * link.driverTeeth) / link.followerTeeth, link.offset);
    }
    case "rack":
    case "lead":
      return linear(link.travel / 360, link.offset);
    case "cam":
      return new CamCurve(link.points, link.period);
    case "crank-slider":
      return new CrankSlider(driver, follower, link);
    case "four-bar":
      return new FourBar(driver, follower, link.driverPin, link.followerPin, link.crossed);
  }
}

function linear(factor: number, offset: number): LinkFunction {
  return { follower: (driver) => driver * factor + offset };
}

/** The driver departure for a follower's, where the link is a straight proportion; null for the others. */
export function linearInverse(f: LinkFunction, link: Link, follower: number): number | null {
  if (link.kind === "cam" || link.kind === "crank-slider" || link.kind === "four-bar") return null;
  const offset = f.follower(0);
  const factor = f.follower(1) - offset;
  return factor === 0 ? null : (follower - offset) / factor;
}
