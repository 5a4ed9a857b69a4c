import { nth } from "../math/packed";
import { cosDeg, sinDeg } from "../math/rotation";
import { dot, minus, type ReadonlyTriple } from "../math/triple";
import { Refusal } from "../text/refusal";
import { type LinkFunction, type Reach, reachOf } from "./linkFunction";
import { type Axis, angleDeg, inPlane, type PlaneFrame, planarMotion, planeFrame, wrapped } from "./planar";

/** Driver angles of a turn at which the follower's full angle is known, so that it never jumps by a turn. */
const STATIONS = 720;

/**
 * Four bars in closed form: the follower's pin is where the coupler's circle about the driver's pin meets the circle
 * about the follower's axis; which of the two meeting points is decided by how the bars stand at home.
 */
export class FourBar implements LinkFunction {
  private readonly frame: PlaneFrame;
  private readonly a: [number, number];
  private readonly b: [number, number];
  private readonly ground: number;
  private readonly coupler: number;
  private readonly rocker: number;
  private readonly side: number;
  private readonly homeAngle: number;
  private readonly homeTilt: number;
  private readonly sense: number;
  /** Opposite bars are equal and run alike: where all four lie on one line it goes straight on and stays one. */
  private readonly parallelogram: boolean;
  /** Follower angle at each station of one turn from home, unwrapped, and its change over a whole turn. */
  private readonly stations = new Float64Array(STATIONS + 1);
  private readonly winding: number;
  private px = 0;
  private py = 0;

  /** @throws Refusal when the axes are not parallel, coincide, or a pin lies on its axis. */
  constructor(driver: Axis, follower: Axis, driverPin: ReadonlyTriple, followerPin: ReadonlyTriple, crossed: boolean) {
    const parallel = dot(driver.direction, follower.direction);
    if (Math.abs(parallel) < 1 - 1e-5) throw new Refusal("four-bar-parallel");
    const frame = planeFrame(driver, minus(follower.point, driver.point));
    if (!frame) throw new Refusal("four-bar-apart");
    this.frame = frame;
    this.sense = parallel > 0 ? 1 : -1;
    this.ground = inPlane(frame, follower.point)[0];
    this.a = inPlane(frame, driverPin);
    this.b = inPlane(frame, followerPin);
    this.rocker = Math.hypot(this.b[0] - this.ground, this.b[1]);
    this.coupler = Math.hypot(this.b[0] - this.a[0], this.b[1] - this.a[1]);
    if (Math.hypot(...this.a) < 1e-6 || this.rocker < 1e-6) throw new Refusal("four-bar-pin");
    if (this.coupler < 1e-6) throw new Refusal("four-bar-coupler");
    const even = 1e-6 * (Math.abs(this.ground) + this.rocker);
    this.parallelogram = !crossed && Math.hypot(this.b[0] - this.a[0] - this.ground, this.b[1] - this.a[1]) < even;
    const turn = (this.ground - this.a[0]) * (this.b[1] - this.a[1]) + this.a[1] * (this.b[0] - this.a[0]);
    this.side = (turn >= 0 ? 1 : -1) * (crossed ? -1 : 1);
    // Measured the way every other angle is, so that home comes out as home bit for bit.
    const closed = this.raw(0);
    this.homeAngle = crossed ? angleDeg(this.b[0] - this.ground, this.b[1]) : closed;
    this.homeTilt = crossed
      ? angleDeg(this.b[0] - this.a[0], this.b[1] - this.a[1])
      : angleDeg(this.px - this.a[0], this.py - this.a[1]);
    let last = wrapped(this.raw(0) - this.homeAngle);
    this.stations[0] = last;
    for (let i = 1; i <= STATIONS; i++) {
      last += wrapped(this.raw((i * 360) / STATIONS) - this.homeAngle - last);
      this.stations[i] = last;
    }
    this.winding = Math.round((nth(this.stations, STATIONS) - nth(this.stations, 0)) / 360) * 360;
  }

  /** Places the follower's pin; leaves it in px, py. @returns the follower's angle, in one turn. */
  private raw(driver: number): number {
    const c = cosDeg(driver);
    const s = sinDeg(driver);
    const ax = c * this.a[0] - s * this.a[1];
    const ay = s * this.a[0] + c * this.a[1];
    if (this.parallelogram) {
      this.px = ax + this.ground;
      this.py = ay;
      return angleDeg(ax, ay);
    }
    const dx = this.ground - ax;
    const dy = -ay;
    const far = Math.max(1e-12, Math.hypot(dx, dy));
    const along = (this.coupler * this.coupler - this.rocker * this.rocker + far * far) / (2 * far);
    const h = Math.sqrt(Math.max(0, this.coupler * this.coupler - along * along));
    const ux = dx / far;
    const uy = dy / far;
    this.px = ax + along * ux - this.side * h * uy;
    this.py = ay + along * uy + this.side * h * ux;
    return angleDeg(this.px - this.ground, this.py);
  }

  follower(driver: number): number {
    const exact = this.raw(driver) - this.homeAngle;
    const turns = Math.floor(driver / 360);
    const at = ((driver - 360 * turns) / 360) * STATIONS;
    const i = Math.min(STATIONS - 1, Math.floor(at));
    const s0 = nth(this.stations, i);
    const guess = s0 + (nth(this.stations, i + 1) - s0) * (at - i) + turns * this.winding;
    return this.sense * (exact + 360 * Math.round((guess - exact) / 360));
  }

  middle(driver: number, out: Float64Array, o: number): void {
    this.raw(driver);
    const c = cosDeg(driver);
    const s = sinDeg(driver);
    const ax = c * this.a[0] - s * this.a[1];
    const ay = s * this.a[0] + c * this.a[1];
    const tilt = angleDeg(this.px - ax, this.py - ay) - this.homeTilt;
    planarMotion(this.frame, this.a[0], this.a[1], tilt, ax - this.a[0], ay - this.a[1], out, o);
  }

  reach(): Reach {
    return reachOf((d) => {
      const ax = cosDeg(d) * this.a[0] - sinDeg(d) * this.a[1];
      const ay = sinDeg(d) * this.a[0] + cosDeg(d) * this.a[1];
      const far = Math.hypot(this.ground - ax, ay);
      return far <= this.coupler + this.rocker + 1e-9 && far >= Math.abs(this.coupler - this.rocker) - 1e-9;
    });
  }
}
