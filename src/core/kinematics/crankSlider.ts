import { cosDeg, sinDeg } from "../math/rotation";
import { dot, minus, type ReadonlyTriple } from "../math/triple";
import { Refusal } from "../text/refusal";
import { type LinkFunction, type Reach, reachOf } from "./linkFunction";
import { type Axis, angleDeg, inPlane, type PlaneFrame, planarMotion, planeFrame } from "./planar";

export interface CrankSliderSize {
  /** mm from the crank's axis to its pin. */
  radius: number;
  /** mm between the pins of the rod. */
  rodLength: number;
  /** mm of the slider's line from the crank's axis, to the side of axis x slide direction. */
  offset: number;
  /** Crank angle at home from the slide's direction, degrees about the crank's axis. */
  homeAngle: number;
  /** 1: the slider lies ahead of the crank pin along the slide's direction; -1: behind it. */
  branch: 1 | -1;
}

/**
 * Crank and slider in closed form. With the crank at angle p and the slider's line at distance e, the slider stands at
 * s = r cos p + branch sqrt(L^2 - (r sin p - e)^2). (Any textbook of mechanisms: the offset slider-crank.)
 */
export class CrankSlider implements LinkFunction {
  private readonly frame: PlaneFrame;
  private readonly home: { s: number; x: number; y: number; tilt: number };

  /** @throws Refusal when the slide runs along the crank's axis. */
  constructor(
    crank: Axis,
    slide: Axis,
    private readonly size: CrankSliderSize,
  ) {
    const frame = planeFrame(crank, slide.direction);
    if (!frame || Math.abs(dot(crank.direction, slide.direction)) > 1e-3) throw new Refusal("crank-square");
    this.frame = frame;
    const p = size.homeAngle;
    const s = this.slider(p);
    this.home = { s, x: size.radius * cosDeg(p), y: size.radius * sinDeg(p), tilt: this.tilt(p, s) };
  }

  private slider(p: number): number {
    const { radius, rodLength, offset, branch } = this.size;
    const rise = radius * sinDeg(p) - offset;
    return radius * cosDeg(p) + branch * Math.sqrt(Math.max(0, rodLength * rodLength - rise * rise));
  }
  private tilt(p: number, s: number): number {
    const { radius, offset } = this.size;
    return angleDeg(s - radius * cosDeg(p), offset - radius * sinDeg(p));
  }

  follower(driver: number): number {
    return this.slider(this.size.homeAngle + driver) - this.home.s;
  }

  middle(driver: number, out: Float64Array, o: number): void {
    const p = this.size.homeAngle + driver;
    const { home, frame, size } = this;
    const tilt = this.tilt(p, this.slider(p)) - home.tilt;
    planarMotion(
      frame,
      home.x,
      home.y,
      tilt,
      size.radius * cosDeg(p) - home.x,
      size.radius * sinDeg(p) - home.y,
      out,
      o,
    );
  }

  reach(): Reach {
    const { radius, rodLength, offset, homeAngle } = this.size;
    return reachOf((d) => Math.abs(radius * sinDeg(homeAngle + d) - offset) <= rodLength);
  }
}

/**
 * The sizes of a crank and slider as it stands at home, from the middle of the crank pin and of the wrist pin
 * (assembly frame, mm). @throws Refusal where the points make no crank.
 */
export function crankSliderFrom(crank: Axis, slide: Axis, pin: ReadonlyTriple, wrist: ReadonlyTriple): CrankSliderSize {
  const frame = planeFrame(crank, slide.direction);
  if (!frame) throw new Refusal("crank-square");
  const [px, py] = inPlane(frame, pin);
  const [wx, wy] = inPlane(frame, wrist);
  const radius = Math.hypot(px, py);
  if (radius < 1e-6) throw new Refusal("crank-pin");
  const rodLength = Math.hypot(wx - px, wy - py);
  if (rodLength < 1e-6) throw new Refusal("crank-rod");
  return { radius, rodLength, offset: wy, homeAngle: angleDeg(px, py), branch: wx >= px ? 1 : -1 };
}

/** Distance of a point from an axis, mm. */
export function distanceFromAxis(axis: Axis, p: ReadonlyTriple): number {
  const d = minus(p, axis.point);
  const along = dot(d, axis.direction);
  return Math.sqrt(Math.max(0, dot(d, d) - along * along));
}
