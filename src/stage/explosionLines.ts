import * as THREE from "three";
import { explosionLinesOf, explosionSegment, SHORTEST_LINE } from "../core/program/overlay";
import type { Program } from "../core/program/program";
import type { Pose } from "../core/program/sampling";
import { STAGE_COLORS } from "./palette";

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
      const length = explosionSegment(program.index, pose, line, at.array as Float32Array, 6 * n);
      if (length < SHORTEST_LINE) continue;
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
