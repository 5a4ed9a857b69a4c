import * as THREE from "three";
import type { AssemblyIndex } from "../core/assembly/assembly";
import { multiplyAffine } from "../core/math/mat4";
import { nth } from "../core/math/packed";
import { explosionLinesOf } from "../core/program/overlay";
import type { Pose } from "../core/program/pose";
import type { Program } from "../core/program/program";
import { STAGE_COLORS } from "./palette";

/** Shorter ones are not drawn, mm. */
const SHORTEST = 0.5;
const _home = new Float64Array(16);

/** Dashed lines from where parts belong to where they have been taken, drawn among the parts. */
export class ExplosionLines {
  private readonly lines: THREE.LineSegments<THREE.BufferGeometry, THREE.LineDashedMaterial>;
  private room = 0;

  constructor(scene: THREE.Scene, sizeMm: number) {
    const dash = Math.max(0.5, sizeMm / 90);
    this.lines = new THREE.LineSegments(
      new THREE.BufferGeometry(),
      new THREE.LineDashedMaterial({
        color: STAGE_COLORS.ink,
        dashSize: dash,
        gapSize: dash * 0.55,
        transparent: true,
        opacity: 0.75,
      }),
    );
    this.lines.frustumCulled = false;
    this.lines.visible = false;
    this.lines.matrixAutoUpdate = false;
    this.lines.renderOrder = 3;
    scene.add(this.lines);
  }

  /** Takes over a pose. Allocates only when there are more lines than ever before. */
  apply(program: Program, pose: Pose): void {
    const all = explosionLinesOf(program);
    if (all.length === 0) {
      this.lines.visible = false;
      return;
    }
    const { geometry } = this.lines;
    if (all.length > this.room) {
      this.room = all.length;
      geometry.setAttribute("position", new THREE.BufferAttribute(new Float32Array(6 * this.room), 3));
      geometry.setAttribute("lineDistance", new THREE.BufferAttribute(new Float32Array(2 * this.room), 1));
    }
    const at = geometry.getAttribute("position") as THREE.BufferAttribute;
    const along = geometry.getAttribute("lineDistance") as THREE.BufferAttribute;
    let n = 0;
    for (let i = 0; i < all.length; i++) {
      const line = all[i] as (typeof all)[number];
      if ((pose.values[line.shown] ?? 0) < 0.5 || !pose.visible[line.node]) continue;
      const home = homeNow(program.index, pose, line.node);
      const length = segment(at.array as Float32Array, 6 * n, home, pose.world, 16 * line.node, line.middle);
      if (length < SHORTEST) continue;
      (along.array as Float32Array)[2 * n] = 0;
      (along.array as Float32Array)[2 * n + 1] = length;
      n++;
    }
    this.lines.visible = n > 0;
    geometry.setDrawRange(0, 2 * n);
    at.needsUpdate = true;
    along.needsUpdate = true;
  }

  dispose(): void {
    this.lines.geometry.dispose();
    this.lines.material.dispose();
  }
}

/** Where a node would be if it had not departed from home itself, 16 doubles. */
function homeNow(index: AssemblyIndex, pose: Pose, node: number): Float64Array {
  const parent = nth(index.parent, node);
  if (parent < 0) for (let k = 0; k < 16; k++) _home[k] = nth(index.homeLocal, 16 * node + k);
  else multiplyAffine(_home, 0, pose.world, 16 * parent, index.homeLocal, 16 * node);
  return _home;
}

/** Writes a segment between a point under two transforms. @returns its length */
function segment(
  out: Float32Array,
  o: number,
  a: Float64Array,
  b: Float64Array,
  bo: number,
  p: readonly number[],
): number {
  let sum = 0;
  for (let r = 0; r < 3; r++) {
    const from = nth(a, r) * nth(p, 0) + nth(a, 4 + r) * nth(p, 1) + nth(a, 8 + r) * nth(p, 2) + nth(a, 12 + r);
    const to =
      nth(b, bo + r) * nth(p, 0) +
      nth(b, bo + 4 + r) * nth(p, 1) +
      nth(b, bo + 8 + r) * nth(p, 2) +
      nth(b, bo + 12 + r);
    out[o + r] = from;
    out[o + 3 + r] = to;
    sum += (to - from) ** 2;
  }
  return Math.sqrt(sum);
}
