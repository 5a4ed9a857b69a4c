import * as THREE from "three";
import { describe, expect, test } from "vitest";
import { accumulate, alongAxis, angleAbout, snapped } from "./dragMath";

const v = (x: number, y: number, z: number) => new THREE.Vector3(x, y, z);

describe("dragging", () => {
  test("along an axis: the nearest point on it, and none where it is seen end-on", () => {
    expect(alongAxis(new THREE.Ray(v(7, -10, 3), v(0, 1, 0)), v(0, 0, 0), v(1, 0, 0))).toBeCloseTo(7, 12);
    expect(alongAxis(new THREE.Ray(v(7, -10, 3), v(0, 1, 0)), v(2, 0, 0), v(1, 0, 0))).toBeCloseTo(5, 12);
    expect(alongAxis(new THREE.Ray(v(-10, 0, 0), v(1, 0, 0)), v(0, 0, 0), v(1, 0, 0))).toBeNull();
  });
  test("about an axis: degrees by the right hand, and none where its plane is seen edge-on", () => {
    const down = (x: number, y: number) => new THREE.Ray(v(x, y, 10), v(0, 0, -1));
    expect(angleAbout(down(0, 5), v(0, 0, 0), v(0, 0, 1), v(1, 0, 0))).toBeCloseTo(90, 9);
    expect(angleAbout(down(3, -3), v(0, 0, 0), v(0, 0, 1), v(1, 0, 0))).toBeCloseTo(-45, 9);
    expect(angleAbout(new THREE.Ray(v(0, -9, 0), v(0, 1, 0)), v(0, 0, 0), v(0, 0, 1), v(1, 0, 0))).toBeNull();
  });
  test("round and round keeps counting, either way", () => {
    let total = 0;
    let last = 0;
    for (let deg = 20; deg <= 800; deg += 20) {
      const now = ((deg + 180) % 360) - 180;
      total = accumulate(total, last, now);
      last = now;
    }
    expect(total).toBeCloseTo(800, 9);
    expect(accumulate(0, -170, 170)).toBe(-20);
  });
  test("snaps to increments without the noise of binary fractions; nil leaves values alone", () => {
    expect(snapped(0.31, 0.1)).toBe(0.3);
    expect(snapped(-17.4, 5)).toBe(-15);
    expect(snapped(1.2345, 0)).toBe(1.2345);
  });
});
