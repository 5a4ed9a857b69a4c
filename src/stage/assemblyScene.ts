import * as THREE from "three";
import type { AssemblyIndex } from "../core/assembly/assembly";
import type { AssemblyPackage } from "../core/assembly/package";
import { FACE_STRIDE, type Geometry } from "../core/geometry/geometry";
import type { Pose } from "../core/program/pose";
import { STAGE_COLORS } from "./palette";

/** What a part is marked as, on top of its finish. */
export interface Marks {
  selected: ReadonlySet<number>;
  pending: ReadonlySet<number>;
  hover: number;
}
export const NO_MARKS: Marks = { selected: new Set(), pending: new Set(), hover: -1 };

interface Part {
  node: number;
  mesh: THREE.Mesh;
  lines: THREE.LineSegments | null;
  materials: THREE.MeshStandardMaterial[];
  baseOpacity: number[];
  shown: { opacity: number; visible: boolean };
}

/**
 * The drawn assembly: a mesh and its feature edges per part, geometry shared by instances. Transforms come from a
 * pose and are written straight into the world matrices; three.js computes none.
 */
export class AssemblyScene {
  readonly scene = new THREE.Scene();
  readonly parts: Part[] = [];
  readonly byNode = new Map<number, Part>();
  private readonly geometries: THREE.BufferGeometry[] = [];
  private readonly edges: (THREE.BufferGeometry | null)[] = [];
  private readonly line = {
    plain: new THREE.LineBasicMaterial({ color: STAGE_COLORS.ink, transparent: true, opacity: 0.5 }),
    hover: new THREE.LineBasicMaterial({ color: STAGE_COLORS.working, transparent: true, opacity: 0.9 }),
    selected: new THREE.LineBasicMaterial({ color: STAGE_COLORS.working }),
    pending: new THREE.LineDashedMaterial({ color: STAGE_COLORS.working, dashSize: 5, gapSize: 3 }),
  };
  private marks: Marks = NO_MARKS;

  constructor(
    readonly pkg: AssemblyPackage,
    readonly index: AssemblyIndex,
  ) {
    this.scene.matrixWorldAutoUpdate = false;
    for (const g of pkg.geometries) {
      this.geometries.push(toBuffer(g));
      this.edges.push(toEdges(g));
    }
    index.assembly.nodes.forEach((node, i) => {
      const geometry = this.geometries[node.geometry];
      const source = pkg.geometries[node.geometry];
      if (!geometry || !source) return;
      const colors = geometry.userData.colors as number[];
      const materials = colors.map((c) => material(c, node.color));
      const mesh = new THREE.Mesh(geometry, materials.length === 1 ? materials[0] : materials);
      mesh.matrixAutoUpdate = false;
      mesh.castShadow = (materials[0]?.opacity ?? 1) > 0.6;
      mesh.receiveShadow = true;
      mesh.userData.node = i;
      const edge = this.edges[node.geometry];
      const lines = edge ? new THREE.LineSegments(edge, this.line.plain) : null;
      if (lines) {
        lines.matrixAutoUpdate = false;
        this.scene.add(lines);
      }
      this.scene.add(mesh);
      const part: Part = { node: i, mesh, lines, materials, baseOpacity: materials.map((m) => m.opacity), shown: { opacity: 1, visible: true } };
      this.parts.push(part);
      this.byNode.set(i, part);
    });
    const b = this.worldBounds();
    const dash = Math.max(1, b.min.distanceTo(b.max) / 120);
    this.line.pending.dashSize = dash;
    this.line.pending.gapSize = dash * 0.7;
  }

  /** Box of everything at home, mm. */
  worldBounds(): { min: THREE.Vector3; max: THREE.Vector3 } {
    const min = new THREE.Vector3(Infinity, Infinity, Infinity);
    const max = new THREE.Vector3(-Infinity, -Infinity, -Infinity);
    const b = this.index.worldBounds;
    for (const root of this.index.roots) {
      min.min(new THREE.Vector3(b[6 * root], b[6 * root + 1], b[6 * root + 2]));
      max.max(new THREE.Vector3(b[6 * root + 3], b[6 * root + 4], b[6 * root + 5]));
    }
    return min.x <= max.x ? { min, max } : { min: new THREE.Vector3(-1, -1, -1), max: new THREE.Vector3(1, 1, 1) };
  }

  /** Takes over a pose. Allocates nothing. */
  apply(pose: Pose): void {
    for (let i = 0; i < this.parts.length; i++) {
      const part = this.parts[i] as Part;
      const { node, mesh, lines, shown } = part;
      const e = mesh.matrixWorld.elements;
      for (let k = 0; k < 16; k++) e[k] = pose.world[16 * node + k] as number;
      const opacity = pose.opacity[node] as number;
      const visible = pose.visible[node] === 1 && opacity > 0.001;
      if (visible !== shown.visible) {
        shown.visible = visible;
        mesh.visible = visible;
        if (lines) lines.visible = visible;
      }
      if (lines) for (let k = 0; k < 16; k++) lines.matrixWorld.elements[k] = e[k] as number;
      if (opacity !== shown.opacity) {
        shown.opacity = opacity;
        this.fade(part, opacity);
      }
    }
  }

  private fade(part: Part, opacity: number): void {
    part.materials.forEach((m, i) => {
      const value = (part.baseOpacity[i] as number) * opacity;
      const transparent = value < 0.999;
      if (m.transparent !== transparent) m.needsUpdate = true;
      m.opacity = value;
      m.transparent = transparent;
      m.depthWrite = value > 0.85;
    });
    part.mesh.castShadow = (part.baseOpacity[0] as number) * opacity > 0.6;
  }

  /** Marks what is selected, pending and under the pointer. */
  setMarks(marks: Marks): void {
    const touched = new Set<number>([...this.marks.selected, ...this.marks.pending, this.marks.hover, ...marks.selected, ...marks.pending, marks.hover]);
    this.marks = marks;
    for (const node of touched) {
      const part = this.byNode.get(node);
      if (!part) continue;
      const selected = marks.selected.has(node);
      const pending = marks.pending.has(node);
      if (part.lines) {
        part.lines.material = pending ? this.line.pending : selected ? this.line.selected : node === marks.hover ? this.line.hover : this.line.plain;
        part.lines.renderOrder = selected || pending ? 1 : 0;
      }
      const glow = selected || pending ? 0.16 : node === marks.hover ? 0.07 : 0;
      for (const m of part.materials) m.emissive.setHex(STAGE_COLORS.working).multiplyScalar(glow);
    }
  }

  /** Shows the working marks or hides them, for a picture as published. */
  withoutMarks(draw: () => void): void {
    const marks = this.marks;
    this.setMarks(NO_MARKS);
    draw();
    this.setMarks(marks);
  }

  dispose(): void {
    for (const g of this.geometries) g.dispose();
    for (const g of this.edges) g?.dispose();
    for (const p of this.parts) for (const m of p.materials) m.dispose();
    for (const m of Object.values(this.line)) m.dispose();
  }
}

/** A look for a CAD colour: most CAD files know nothing of finishes. */
function material(packed: number, color: readonly [number, number, number, number] | null): THREE.MeshStandardMaterial {
  const m = new THREE.MeshStandardMaterial({ roughness: 0.46, metalness: 0.12, polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 });
  if (packed >= 0) m.color.setHex(packed);
  else if (color) m.color.setRGB(color[0], color[1], color[2], THREE.LinearSRGBColorSpace);
  else m.color.setHex(STAGE_COLORS.part);
  const opacity = color?.[3] ?? 1;
  if (opacity < 0.999) {
    m.transparent = true;
    m.opacity = opacity;
    m.depthWrite = false;
    m.roughness = 0.12;
  }
  return m;
}

/** Geometry with a group for each colour its faces carry; `userData.colors` names them, -1 for the part's own. */
function toBuffer(g: Geometry): THREE.BufferGeometry {
  const buffer = new THREE.BufferGeometry();
  buffer.setAttribute("position", new THREE.BufferAttribute(g.positions, 3));
  buffer.setAttribute("normal", new THREE.BufferAttribute(g.normals, 3));
  const colors: number[] = [];
  const runs: { start: number; count: number; color: number }[] = [];
  for (let f = 0; f < g.faces.length / FACE_STRIDE; f++) {
    const packed = g.faces[f * FACE_STRIDE + 11] as number;
    let slot = colors.indexOf(packed);
    if (slot < 0) slot = colors.push(packed) - 1;
    const start = (g.faces[f * FACE_STRIDE] as number) * 3;
    const count = (g.faces[f * FACE_STRIDE + 1] as number) * 3;
    const last = runs.at(-1);
    if (last && last.color === slot && last.start + last.count === start) last.count += count;
    else runs.push({ start, count, color: slot });
  }
  // A copy: the picker's tree reorders its own index, and the face table must keep meaning the original order.
  buffer.setIndex(new THREE.BufferAttribute(g.indices, 1));
  if (colors.length > 1) for (const r of runs) buffer.addGroup(r.start, r.count, r.color);
  buffer.userData.colors = colors.length > 0 ? colors : [-1];
  buffer.boundingBox = new THREE.Box3(new THREE.Vector3(...g.bounds.min), new THREE.Vector3(...g.bounds.max));
  buffer.boundingSphere = buffer.boundingBox.getBoundingSphere(new THREE.Sphere());
  return buffer;
}

function toEdges(g: Geometry): THREE.BufferGeometry | null {
  if (g.edges.length === 0) return null;
  const buffer = new THREE.BufferGeometry();
  buffer.setAttribute("position", new THREE.BufferAttribute(g.edges, 3));
  // Distance along each segment, for the dashed outline of a pending pose.
  const distance = new Float32Array(g.edges.length / 3);
  for (let i = 0; i < distance.length; i += 2) {
    distance[i + 1] = Math.hypot(
      (g.edges[3 * i + 3] as number) - (g.edges[3 * i] as number),
      (g.edges[3 * i + 4] as number) - (g.edges[3 * i + 1] as number),
      (g.edges[3 * i + 5] as number) - (g.edges[3 * i + 2] as number),
    );
  }
  buffer.setAttribute("lineDistance", new THREE.BufferAttribute(distance, 1));
  buffer.boundingBox = new THREE.Box3(new THREE.Vector3(...g.bounds.min), new THREE.Vector3(...g.bounds.max));
  buffer.boundingSphere = buffer.boundingBox.getBoundingSphere(new THREE.Sphere());
  return buffer;
}
