import * as THREE from "three";
import { describe, expect, test } from "vitest";
import { CAMERA } from "../../tests/support/assembly";
import { alongAxis, angleAbout } from "./dragMath";
import { ViewControl } from "./viewControl";

const v = (x: number, y: number, z: number) => new THREE.Vector3(x, y, z);
const aim = (c: ViewControl) => [c.view["aim.x"], c.view["aim.y"], c.view["aim.z"]];
/** A control that looks level from the front: right is +x, up is +z, ahead is +y. */
const level = () => new ViewControl({ ...CAMERA, azimuth: 0, elevation: 0, distance: 100 }, "z");

describe("the sign of what is dragged", () => {
  test("along an axis: by a slanting ray too, on either side of the origin", () => {
    const ray = new THREE.Ray(v(0, -10, 0), v(1, 1, 0).normalize());
    expect(alongAxis(ray, v(0, 0, 0), v(1, 0, 0))).toBeCloseTo(10, 9);
    expect(alongAxis(ray, v(0, 0, 0), v(-1, 0, 0))).toBeCloseTo(-10, 9);
    expect(alongAxis(ray, v(25, 0, 3), v(1, 0, 0))).toBeCloseTo(-15, 9);
  });
  test("about an axis: what lies behind the viewer counts as if it were before", () => {
    const up = new THREE.Ray(v(0, 5, 10), v(0, 0, 1));
    expect(angleAbout(up, v(0, 0, 0), v(0, 0, 1), v(1, 0, 0))).toBeCloseTo(90, 9);
    expect(angleAbout(new THREE.Ray(v(-4, 0, -3), v(0, 0, -1)), v(0, 0, 0), v(0, 0, 1), v(0, 1, 0))).toBeCloseTo(90, 9);
  });
});

describe("the sign of looking around", () => {
  test("shifting to the right moves the aim to the left, upwards down; as far as the picture at the aim", () => {
    const c = level();
    c.pan(100, 0, 800, 1.6);
    expect(c.view["aim.x"]).toBeLessThan(0);
    expect(aim(c).slice(1)).toEqual([expect.closeTo(0, 9), expect.closeTo(0, 9)]);
    // 36 mm wide sensor, 50 mm lens: the picture is 72 mm wide and 45 high at 100 mm.
    expect(c.view["aim.x"]).toBeCloseTo((-100 * 45) / 800, 6);
    const d = level();
    d.pan(0, 80, 800, 1.6);
    expect(d.view["aim.z"]).toBeCloseTo((80 * 45) / 800, 6);
  });
  test("turning to the right goes round to the left; no further than straight above", () => {
    const c = level();
    c.orbit(10, 25);
    expect([c.view.azimuth, c.view.elevation]).toEqual([-4, 10]);
    c.orbit(0, 5000);
    expect(c.view.elevation).toBe(89.9);
    c.orbit(0, -50_000);
    expect(c.view.elevation).toBe(-89.9);
  });
  test("flying goes right, up and ahead by so much", () => {
    const c = level();
    c.fly(3, 4, 5);
    expect(aim(c)).toEqual([expect.closeTo(3, 9), expect.closeTo(5, 9), expect.closeTo(4, 9)]);
  });
  test("looking round keeps the viewer where they stand", () => {
    const c = level();
    c.look(40, 0);
    // The viewer stays at (0, -100, 0) and looks 10 degrees to the right.
    const a = (10 * Math.PI) / 180;
    expect(c.view.azimuth).toBe(-10);
    expect(aim(c)).toEqual([
      expect.closeTo(100 * Math.sin(a) * (c.view["aim.x"] < 0 ? -1 : 1), 6),
      expect.closeTo(-100 + 100 * Math.cos(a), 6),
      expect.closeTo(0, 9),
    ]);
  });
  test("nearer and farther has its ends", () => {
    const c = level();
    c.zoom(0.5, null);
    expect(c.view.distance).toBe(50);
    c.zoom(1e-9, null);
    expect(c.view.distance).toBe(2.5);
    for (let i = 0; i < 20; i++) c.zoom(1e9, null);
    expect(c.view.distance).toBe(1e8);
  });
  test.each<["z" | "y", [number, number, number], number, number]>([
    ["z", [0, -1, 0], 0, 0],
    ["z", [1, 0, 0], 90, 0],
    ["z", [0, 0, 1], 30, 90],
    ["z", [0, -Math.SQRT1_2, Math.SQRT1_2], 0, 45],
    ["y", [0, 0, 1], 0, 0],
    ["y", [0, 1, 0], 30, 90],
    ["y", [1, 0, 0], 90, 0],
  ])("square to a face, %s up, facing %s", (up, direction, azimuth, elevation) => {
    const c = new ViewControl({ ...CAMERA, azimuth: 30, roll: 12 }, up);
    c.squareTo(direction, [1, 2, 3]);
    expect(c.view.azimuth).toBeCloseTo(azimuth, 9);
    expect(c.view.elevation).toBeCloseTo(elevation, 9);
    expect([c.view.roll, ...aim(c)]).toEqual([0, 1, 2, 3]);
  });
  test("square goes the nearer way round", () => {
    const c = new ViewControl({ ...CAMERA, azimuth: 700 }, "z");
    c.squareTo([0, -1, 0], [0, 0, 0]);
    expect(c.view.azimuth).toBe(720);
  });
});
