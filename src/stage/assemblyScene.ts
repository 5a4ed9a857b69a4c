import * as THREE from "three";
import { type AssemblyIndex, emptyBounds, growByBox, unionBounds } from "../core/assembly/assembly";
import type { AssemblyPackage } from "../core/assembly/package";
import type { LookNode } from "../core/document/looks";
import type { Finish } from "../core/document/surroundings";
import type { Geometry } from "../core/geometry/geometry";
import { nth } from "../core/math/packed";
import type { Pose } from "../core/program/sampling";
import { batch, bodyGeometry, shareMatrices } from "./batch";
import { rangesOf } from "./batchList";
import { ClearParts } from "./clearParts";
import { CONTACT_REACH } from "./contactShadow";
import { EdgeMaterial, edgeGeometry } from "./edgeLines";
import { type Outline, Outlines } from "./outlines";
import { STAGE_COLORS } from "./palette";
import { cadSurface, finishSurface, type Surface } from "./surface";
import { SURFACE_TEXELS, surfaceMaterial, surfaceTexture } from "./surfaceMaterial";

/** What a part is marked as, on top of its finish. */
export interface Marks {
  selected: ReadonlySet<number>;
  pending: ReadonlySet<number>;
  hover: number;
}
export const NO_MARKS: Marks = { selected: new Set(), pending: new Set(), hover: -1 };

/** A drawn part. `id` is its number in the batches. */
export class Part {
  /** What it was given to wear; undefined for what it is in CAD. */
  finish: Finish | undefined = undefined;
  visible = true;
  /** What a pose makes of it, and with what it wears as well. */
  opacity = 1;
  drawnOpacity = 1;
  tint = 0;
  tintColour = 0;
  private readonly own = new THREE.Matrix4();

  constructor(
    readonly node: number,
    readonly id: number,
    readonly geometry: number,
    public surface: Surface,
    private readonly placed: Float64Array,
  ) {}

  /** World matrix as drawn. Read it at once: it is filled anew at every call. */
  get matrix(): THREE.Matrix4 {
    const e = this.own.elements;
    for (let k = 0; k < 16; k++) e[k] = nth(this.placed, 16 * this.id + k);
    return this.own;
  }
}

const GHOST_OPACITY = 0.13;
/** How strongly a part shines in the colour of attention. */
const TINT_STRENGTH = 0.55;

const _view = new THREE.Matrix4();
const _frustum = new THREE.Frustum();

/**
 * The drawn assembly. Solid parts are drawn in one batch and their feature edges in another, so that thousands of
 * parts cost two calls; what is see-through is drawn apart, back to front, in mostly one more. Transforms come from a
 * pose and are written only where they changed; three.js computes none.
 */
export class AssemblyScene {
  readonly scene = new THREE.Scene();
  readonly parts: Part[] = [];
  readonly byNode = new Map<number, Part>();
  /** World matrices as drawn, 16 doubles a part. */
  private readonly placed: Float64Array;
  /** World boxes as drawn, 6 doubles a part: least and greatest x, y, z. */
  private readonly reach: Float64Array;
  /** The batches' own copy of them, which goes to the graphics card. */
  private readonly matrices: THREE.DataTexture | null = null;
  private sent: Float32Array = new Float32Array(0);
  private readonly bodies: THREE.BatchedMesh | null = null;
  private readonly edges: THREE.BatchedMesh | null = null;
  private readonly surfaces: THREE.DataTexture;
  private readonly metal = { value: 1 };
  private readonly bodyMaterial: THREE.MeshStandardMaterial;
  private readonly bodyGeometry: (THREE.BufferGeometry | null)[];
  private readonly edgeShapes: (THREE.BufferGeometry | null)[];
  private readonly ink = new EdgeMaterial(STAGE_COLORS.ink, 0.6);
  private readonly clear: ClearParts | null = null;
  private readonly outlines: Outlines | null = null;
  private marks: Marks = NO_MARKS;
  private worn: Readonly<Record<string, LookNode>> = {};
  /** Which nodes are ghosts, or below one. */
  private readonly ghosts: Uint8Array;
  private readonly box = new THREE.Box3();
  private culling = false;
  private edgesOn = true;
  private readonly color = new THREE.Vector4();
  /** Height below which a part darkens the ground, along the axis that is up; and which parts reach below it. */
  private readonly ground: { axis: 1 | 2; top: number };
  private readonly near: Uint8Array;
  /** Whether something of what the last pose changed is near the ground, or was. */
  low = false;

  constructor(
    readonly pkg: AssemblyPackage,
    readonly index: AssemblyIndex,
  ) {
    this.scene.matrixWorldAutoUpdate = false;
    this.ghosts = new Uint8Array(index.assembly.nodes.length);
    this.bodyGeometry = pkg.geometries.map(bodyGeometry);
    this.edgeShapes = pkg.geometries.map((g) => edgeGeometry(g.edges));
    const drawn = index.assembly.nodes.flatMap((node, i) => (this.bodyGeometry[node.geometry] ? [i] : []));
    this.placed = new Float64Array(16 * drawn.length);
    this.reach = new Float64Array(6 * drawn.length);
    for (const i of drawn) {
      const node = index.assembly.nodes[i] as AssemblyIndex["assembly"]["nodes"][number];
      const part = new Part(i, this.parts.length, node.geometry, cadSurface(node.color), this.placed);
      this.parts.push(part);
      this.byNode.set(i, part);
    }
    this.surfaces = surfaceTexture(this.parts.length + 1);
    this.bodyMaterial = surfaceMaterial(this.surfaces, this.metal);
    const b = this.worldBounds();
    this.box.set(b.min, b.max);
    const floor = index.assembly.up === "z" ? b.min.z : b.min.y;
    const radius = Math.max(1, b.min.distanceTo(b.max) / 2);
    this.ground = { axis: index.assembly.up === "z" ? 2 : 1, top: floor + radius * CONTACT_REACH };
    this.near = new Uint8Array(this.parts.length);
    if (this.parts.length > 0) {
      this.bodies = batch(this.parts, this.bodyGeometry, this.bodyMaterial);
      this.bodies.castShadow = true;
      this.bodies.receiveShadow = true;
      this.edges = batch(this.parts, this.edgeShapes, this.ink);
      this.matrices = shareMatrices(this.bodies, this.edges);
      this.sent = this.matrices.image.data as Float32Array;
      this.scene.add(this.bodies, this.edges);
      this.edges.renderOrder = 1;
      const surface = () => surfaceMaterial(this.surfaces, this.metal);
      const [shapes, lines] = [rangesOf(this.bodies), rangesOf(this.edges)];
      this.clear = new ClearParts(this.scene, this.bodies, shapes, surface, this.reach, this.parts.length);
      this.outlines = new Outlines(this.scene, this.edges, lines, Math.max(1, b.min.distanceTo(b.max) / 120));
      this.scene.onBeforeRender = (_renderer, _scene, camera) => this.clear?.order(camera);
    }
    for (const part of this.parts) {
      this.placePart(part, index.homeWorld);
      this.drawPart(part);
    }
    if (this.matrices) this.matrices.needsUpdate = true;
  }

  /** Whether there is a room that metal mirrors. */
  setMirroring(on: boolean): void {
    this.metal.value = on ? 1 : 0.25;
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

  /**
   * Takes over a pose. Allocates nothing.
   * @returns whether any part stands or is drawn differently from before
   */
  apply(pose: Pose): boolean {
    const { parts, placed } = this;
    const { world } = pose;
    let moved = false;
    let other = false;
    this.low = false;
    for (let i = 0; i < parts.length; i++) {
      const part = parts[i] as Part;
      const { node } = part;
      const o = 16 * node;
      const p = 16 * i;
      // The translation first: what moves is known by it at once, nearly always.
      let same =
        world[o + 12] === placed[p + 12] && world[o + 13] === placed[p + 13] && world[o + 14] === placed[p + 14];
      for (let k = 0; same && k < 11; k++) same = world[o + k] === placed[p + k];
      if (!same) {
        if (this.near[i]) this.low = true;
        this.placePart(part, world);
        if (this.near[i]) this.low = true;
        moved = true;
      }
      const opacity = nth(pose.opacity, node);
      const visible = pose.visible[node] === 1 && opacity > 0.001;
      const tint = nth(pose.tint, node);
      const colour = nth(pose.tintColour, node);
      if (
        visible === part.visible &&
        opacity === part.opacity &&
        tint === part.tint &&
        (tint === 0 || colour === part.tintColour)
      )
        continue;
      part.tintColour = colour;
      part.visible = visible;
      part.opacity = opacity;
      part.tint = tint;
      this.drawPart(part);
      if (this.near[i]) this.low = true;
      other = true;
    }
    if (moved && this.matrices) this.matrices.needsUpdate = true;
    return moved || other;
  }

  private placePart(part: Part, world: Float64Array): void {
    const { placed, sent } = this;
    const o = 16 * part.node;
    const p = 16 * part.id;
    for (let k = 0; k < 16; k++) {
      const v = nth(world, o + k);
      placed[p + k] = v;
      sent[p + k] = v;
    }
    emptyBounds(this.reach, 6 * part.id);
    growByBox(this.reach, 6 * part.id, (this.pkg.geometries[part.geometry] as Geometry).bounds, world, o);
    this.near[part.id] = nth(this.reach, 6 * part.id + this.ground.axis) < this.ground.top ? 1 : 0;
  }

  /** Box of all parts in sight as they stand now, for what they throw; see {@link Standing}. */
  standing(box: Float64Array): void {
    emptyBounds(box);
    for (const { visible, id } of this.parts) if (visible) unionBounds(box, 0, this.reach, 6 * id);
  }

  /** Writes how a part is drawn: in the batch when solid, apart when see-through. */
  private drawPart(part: Part): void {
    const { surface, id } = part;
    const opacity = surface.opacity * part.opacity * (surface.ghost ? GHOST_OPACITY : 1);
    const solid = opacity > 0.995;
    part.drawnOpacity = solid ? 1 : opacity;
    this.bodies?.setVisibleAt(id, part.visible && solid);
    this.clear?.set(id, part.visible && !solid ? opacity : 0);
    this.outlines?.show(id, part.visible && part.opacity > 0.02);
    this.drawEdges(part);
    const { r, g, b } = surface.color;
    this.bodies?.setColorAt(id, this.color.set(r, g, b, part.drawnOpacity));
    const data = this.surfaces.image.data as Float32Array;
    const o = id * SURFACE_TEXELS * 4;
    data[o] = surface.roughness;
    data[o + 1] = surface.metalness;
    data[o + 3] = surface.faces ? 1 : 0;
    data[o + 4] = surface.emitted.r;
    data[o + 5] = surface.emitted.g;
    data[o + 6] = surface.emitted.b;
    this.tone(part);
  }

  /** Edges are drawn where no outline is. */
  private drawEdges(part: Part): void {
    if (!this.edgeShapes[part.geometry]) return;
    const outlined = this.outlines?.at(part.id) !== null;
    this.edges?.setVisibleAt(part.id, part.visible && this.edgesOn && !outlined && part.opacity > 0.25);
  }

  /** Writes how strongly a part is marked. */
  private tone(part: Part): void {
    const data = this.surfaces.image.data as Float32Array;
    const o = part.id * SURFACE_TEXELS * 4;
    data[o + 2] = this.markOf(part);
    data[o + 7] = this.markColour(part);
    this.surfaces.needsUpdate = true;
  }

  private markOf(part: Part): number {
    const { selected, pending, hover } = this.marks;
    const mark = selected.has(part.node) || pending.has(part.node) ? 0.16 : part.node === hover ? 0.07 : 0;
    return Math.max(mark, part.tint * TINT_STRENGTH);
  }

  /** Number of the colour a part is marked in: attention's own where it is the stronger mark. */
  private markColour(part: Part): number {
    return part.tint * TINT_STRENGTH >= this.markOf(part) && part.tint > 0 ? part.tintColour + 1 : 0;
  }

  /**
   * Takes over finishes and ghosts: what a preparation or a look says of nodes by key. A ghost reaches all below. Costs
   * in proportion to what is worn otherwise, but where there are other ghosts.
   */
  setLooks(nodes: Readonly<Record<string, LookNode>>): void {
    const { worn, index, ghosts } = this;
    this.worn = nodes;
    const other = [...Object.keys(worn).filter((key) => !nodes[key]), ...Object.keys(nodes)].filter(
      (key) => nodes[key] !== worn[key],
    );
    if (other.some((key) => Boolean(nodes[key]?.ghost) !== Boolean(worn[key]?.ghost)))
      index.assembly.nodes.forEach((node, i) => {
        ghosts[i] = nodes[node.key]?.ghost || (node.parent >= 0 && ghosts[node.parent]) ? 1 : 0;
        this.dress(i, nodes[node.key]?.finish);
      });
    else for (const key of other) this.dress(index.indexOf.get(key) ?? -1, nodes[key]?.finish);
  }

  /** Gives a node its finish. What wears what it wore costs nothing. */
  private dress(node: number, finish: Finish | undefined): void {
    const part = this.byNode.get(node);
    const ghost = this.ghosts[node] === 1;
    if (!part || (part.finish === finish && part.surface.ghost === ghost)) return;
    part.finish = finish;
    part.surface = finish ? finishSurface(finish) : cadSurface(this.index.assembly.nodes[node]?.color ?? null);
    part.surface.ghost = ghost;
    this.drawPart(part);
  }

  /**
   * Makes ready for a picture: lists what is outlined, and leaves out what lies beside the picture while only part of
   * the assembly shows. With all of it in view the test of each part would cost more than it saves.
   */
  prepare(camera: THREE.Camera): void {
    this.outlines?.list();
    _view.multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse);
    _frustum.setFromProjectionMatrix(_view);
    let inside = true;
    for (let i = 0; i < 4; i++) {
      const { normal, constant } = _frustum.planes[i] as THREE.Plane;
      const { min, max } = this.box;
      // The corner of the box that lies farthest out of this plane.
      const reach =
        normal.x * (normal.x < 0 ? max.x : min.x) +
        normal.y * (normal.y < 0 ? max.y : min.y) +
        normal.z * (normal.z < 0 ? max.z : min.z);
      if (reach + constant < 0) inside = false;
    }
    if (this.culling === !inside) return;
    this.culling = !inside;
    for (const mesh of [this.bodies, this.edges]) {
      if (!mesh) continue;
      mesh.perObjectFrustumCulled = this.culling;
      // Makes the batch list its parts anew.
      const shown = mesh.getVisibleAt(0);
      mesh.setVisibleAt(0, !shown);
      mesh.setVisibleAt(0, shown);
    }
  }

  /** What is drawn as lines. */
  get lines(): readonly THREE.Object3D[] {
    return this.edges && this.outlines ? [this.edges, ...this.outlines.drawn] : [];
  }

  /** Shows feature edges or not. */
  setEdges(on: boolean): void {
    if (on === this.edgesOn) return;
    this.edgesOn = on;
    for (const part of this.parts) this.drawEdges(part);
  }

  /** Fits the lines to the size of the picture about to be drawn (pixels). */
  fitLines(widthPx: number, heightPx: number, weight: number): void {
    this.ink.fitTo(widthPx, heightPx, weight, 0.6);
    this.outlines?.fit(widthPx, heightPx, weight);
  }

  /** Marks what is selected, pending and under the pointer. Costs in proportion to what is marked otherwise. */
  setMarks(marks: Marks): void {
    const before = this.marks;
    this.marks = marks;
    if (before.selected !== marks.selected) {
      for (const node of before.selected) if (!marks.selected.has(node)) this.mark(node);
      for (const node of marks.selected) if (!before.selected.has(node)) this.mark(node);
    }
    for (const node of before.pending) if (!marks.pending.has(node)) this.mark(node);
    for (const node of marks.pending) if (!before.pending.has(node)) this.mark(node);
    if (before.hover === marks.hover) return;
    this.mark(before.hover);
    this.mark(marks.hover);
  }

  private mark(node: number): void {
    const part = this.byNode.get(node);
    if (!part) return;
    const { pending, selected, hover } = this.marks;
    const outline = pending.has(node) ? "pending" : selected.has(node) ? "selected" : node === hover ? "hover" : null;
    if (this.edgeShapes[part.geometry]) this.outlines?.set(part.id, outline);
    this.drawEdges(part);
    this.tone(part);
  }

  /**
   * Has everything made ready that fading parts need, which else would be made, and waited for, in the midst of a film:
   * what is drawn until what is returned is called has a speck in it that fades and casts a shadow.
   */
  addSpeck(): () => void {
    return this.clear?.warm() ?? (() => {});
  }

  /** What marks a part now, for tests and read-outs. */
  markShown(node: number): Outline | null {
    return this.outlines?.at(this.byNode.get(node)?.id ?? -1) ?? null;
  }

  /** Shows the working marks or hides them, for a picture as published. */
  withoutMarks(draw: () => void): void {
    const marks = this.marks;
    this.setMarks(NO_MARKS);
    draw();
    this.setMarks(marks);
  }

  /** The triangles that a node is drawn with, in its own frame; null for what is not drawn itself. */
  shapeOf(node: number): THREE.BufferGeometry | null {
    return this.bodyGeometry[this.index.assembly.nodes[node]?.geometry ?? -1] ?? null;
  }

  dispose(): void {
    this.bodies?.dispose();
    this.edges?.dispose();
    this.surfaces.dispose();
    this.bodyMaterial.dispose();
    for (const g of this.bodyGeometry) g?.dispose();
    for (const g of this.edgeShapes) g?.dispose();
    this.clear?.dispose();
    this.outlines?.dispose();
    this.ink.dispose();
  }
}
