import { BufferAttribute, BufferGeometry, DoubleSide, Ray } from "three";
import { MeshBVH } from "three-mesh-bvh";
import type { Geometry } from "../geometry/geometry";
import { invertedAffine, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { chained, lineLength } from "./chains";
import { type Projection, WIDE } from "./projection";
import { type Sides, sidesOf } from "./sides";

/** Something that is drawn: a geometry where it stands. */
export interface Solid {
  geometry: number;
  /** 16 doubles. */
  world: ArrayLike<number>;
  /** One can look through it: it hides nothing, and is drawn faintly. */
  clear: boolean;
  /** It is what the picture is about. */
  acts: boolean;
}

/** Lines of one kind, in units of the drawing. */
export interface Strokes {
  /** Where a body ends before what lies behind it, or an edge within it. */
  outline: boolean;
  acts: boolean;
  faint: boolean;
  lines: Float64Array[];
}

/** Units between places of an edge at which it is asked whether it is seen; how exactly its ends are found. */
const STEP = 2.5;
const HALVINGS = 8;
/** Lines shorter than this are left out: splinters where surfaces touch. */
const LEAST = 1.2;
/** What lies nearer than a place by less than this hides nothing: share of the distance, and units of the drawing. */
const NEARER = 1e-4;
const NEARER_UNITS = 0.3;

/** Makes line drawings of one assembly; keeps what belongs to its geometries from picture to picture. */
export class LineMaker {
  private readonly sides = new Map<number, Sides>();

  constructor(private readonly geometries: readonly Geometry[]) {}

  /**
   * The lines that are seen of solids: outlines (sides of triangles that turn from before to behind, and borders) and
   * feature edges, without what other solids or the solid itself hide. Each edge is looked at in places a step apart,
   * by a ray from the eye through a bounding-volume hierarchy of all that hides; where it goes out of sight between
   * two of them, the place is halved until it is found.
   */
  draw(solids: readonly Solid[], view: Projection): Strokes[] {
    const seen = new Sight(this.geometries, solids, view);
    const kinds = new Map<string, { outline: boolean; acts: boolean; faint: boolean; segments: number[][] }>();
    for (const solid of solids) {
      const g = this.geometries[solid.geometry];
      if (!g || g.indices.length === 0) continue;
      const sides = this.sidesOf(solid.geometry);
      const own: Record<"outline" | "inner", number[]> = { outline: [], inner: [] };
      eachEdge(g, sides, solid.world, view, (outline, a, b) =>
        seen.visible(a, b, solid.clear, own[outline ? "outline" : "inner"]),
      );
      for (const outline of [true, false]) {
        const { acts, clear } = solid;
        const name = `${outline} ${acts} ${clear}`;
        const kind = kinds.get(name) ?? { outline, acts, faint: clear, segments: [] };
        kinds.set(name, kind);
        kind.segments.push(own[outline ? "outline" : "inner"]);
      }
    }
    // What acts is drawn last, over the rest; outlines over what is within them.
    return [...kinds.values()]
      .map(({ segments, ...kind }) => ({
        ...kind,
        // Lines are joined within a solid: those of two would run on into one another.
        lines: segments.flatMap(chained).filter((l) => lineLength(l) >= LEAST),
      }))
      .filter((k) => k.lines.length > 0)
      .sort((a, b) => Number(a.acts) - Number(b.acts) || Number(a.outline) - Number(b.outline));
  }

  private sidesOf(geometry: number): Sides {
    const known = this.sides.get(geometry);
    if (known) return known;
    const made = sidesOf(this.geometries[geometry] as Geometry);
    this.sides.set(geometry, made);
    return made;
  }
}

/** Tells the edges of a solid that a draughtsman would ink, world mm, seen or not. */
function eachEdge(
  g: Geometry,
  sides: Sides,
  world: ArrayLike<number>,
  view: Projection,
  tell: (outline: boolean, a: readonly number[], b: readonly number[]) => void,
): void {
  let back: number[];
  try {
    back = invertedAffine(world);
  } catch {
    return;
  }
  const { positions: p, indices } = g;
  const eye = transformPoint(back, view.eye);
  const { ends, beside, feature, loose, normals, count } = sides;
  const before = (t: number): boolean => {
    const a = 3 * nth(indices, 3 * t);
    return (
      nth(normals, 3 * t) * (eye[0] - nth(p, a)) +
        nth(normals, 3 * t + 1) * (eye[1] - nth(p, a + 1)) +
        nth(normals, 3 * t + 2) * (eye[2] - nth(p, a + 2)) >
      0
    );
  };
  const at = (v: number) => transformPoint(world, p.subarray(3 * v, 3 * v + 3));
  for (let s = 0; s < count; s++) {
    const [t, u] = [nth(beside, 2 * s), nth(beside, 2 * s + 1)];
    const outline = u < 0 || before(t) !== before(u);
    if (outline || feature[s]) tell(outline, at(nth(ends, 2 * s)), at(nth(ends, 2 * s + 1)));
  }
  for (let e = 0; e + 5 < loose.length; e += 6)
    tell(false, transformPoint(world, loose.subarray(e, e + 3)), transformPoint(world, loose.subarray(e + 3, e + 6)));
}

/** What can be seen past everything that hides. */
class Sight {
  private readonly tree: MeshBVH | null;
  private readonly ray = new Ray();
  private readonly place = new Float64Array(3);

  constructor(
    geometries: readonly Geometry[],
    solids: readonly Solid[],
    private readonly view: Projection,
  ) {
    const hiding = solids.filter((s) => !s.clear && (geometries[s.geometry]?.indices.length ?? 0) > 0);
    let corners = 0;
    let triangles = 0;
    for (const s of hiding) {
      corners += (geometries[s.geometry] as Geometry).positions.length;
      triangles += (geometries[s.geometry] as Geometry).indices.length;
    }
    const positions = new Float32Array(corners);
    const indices = new Uint32Array(triangles);
    let [po, io] = [0, 0];
    for (const s of hiding) {
      const g = geometries[s.geometry] as Geometry;
      for (let i = 0; i < g.indices.length; i++) indices[io + i] = nth(g.indices, i) + po / 3;
      io += g.indices.length;
      for (let i = 0; i < g.positions.length; i += 3)
        positions.set(transformPoint(s.world, g.positions.subarray(i, i + 3)), po + i);
      po += g.positions.length;
    }
    if (triangles === 0) {
      this.tree = null;
      return;
    }
    const shape = new BufferGeometry();
    shape.setAttribute("position", new BufferAttribute(positions, 3));
    shape.setIndex(new BufferAttribute(indices, 1));
    this.tree = new MeshBVH(shape);
  }

  /** Adds what is seen of an edge as x y x y. `through`: it is drawn whatever lies before it. */
  visible(a: readonly number[], b: readonly number[], through: boolean, out: number[]): void {
    const cut = this.beforeCamera(a, b);
    if (!cut) return;
    const [from, to] = cut;
    const { view, place } = this;
    view.project(nth(from, 0), nth(from, 1), nth(from, 2), place);
    const [x0, y0] = [nth(place, 0), nth(place, 1)];
    view.project(nth(to, 0), nth(to, 1), nth(to, 2), place);
    const [x1, y1] = [nth(place, 0), nth(place, 1)];
    if (Math.max(x0, x1) < 0 || Math.min(x0, x1) > WIDE || Math.max(y0, y1) < 0 || Math.min(y0, y1) > view.high) return;
    const n = Math.max(1, Math.min(2000, Math.ceil(Math.hypot(x1 - x0, y1 - y0) / STEP)));
    let before = false;
    let begun = 0;
    for (let k = 0; k <= n; k++) {
      const t = (k + 0.5) / n;
      const now = k < n && this.at(from, to, t, through);
      if (now === before) continue;
      // It begins or ends between this place and the one before; the first and the last reach to the edge's ends.
      const where = k === 0 ? 0 : k === n ? 1 : this.turn(from, to, (k - 0.5) / n, t, before, through);
      if (now) begun = where;
      else this.add(from, to, begun, where, out);
      before = now;
    }
  }

  private turn(
    from: readonly number[],
    to: readonly number[],
    t0: number,
    t1: number,
    before: boolean,
    through: boolean,
  ): number {
    let [low, high] = [t0, t1];
    for (let i = 0; i < HALVINGS; i++) {
      const t = (low + high) / 2;
      if (this.at(from, to, t, through) === before) low = t;
      else high = t;
    }
    return (low + high) / 2;
  }

  /** Whether a place of an edge is in the picture and nothing lies before it. */
  private at(from: readonly number[], to: readonly number[], t: number, through: boolean): boolean {
    const { view, ray, place, tree } = this;
    const x = nth(from, 0) + t * (nth(to, 0) - nth(from, 0));
    const y = nth(from, 1) + t * (nth(to, 1) - nth(from, 1));
    const z = nth(from, 2) + t * (nth(to, 2) - nth(from, 2));
    if (!view.project(x, y, z, place)) return false;
    const [px, py, ahead] = [nth(place, 0), nth(place, 1), nth(place, 2)];
    if (px < 0 || px > WIDE || py < 0 || py > view.high) return false;
    if (!tree || through) return true;
    const [ex, ey, ez] = view.eye;
    ray.origin.set(ex, ey, ez);
    ray.direction.set(x - ex, y - ey, z - ez);
    const far = ray.direction.length();
    ray.direction.multiplyScalar(1 / far);
    const slack = Math.max(far * NEARER, NEARER_UNITS * view.unitAt(ahead));
    // Nothing before the near plane is drawn, nor does it hide.
    return tree.raycastFirst(ray, DoubleSide, (view.near * far) / ahead, far - slack) === null;
  }

  private add(from: readonly number[], to: readonly number[], t0: number, t1: number, out: number[]): void {
    const { view, place } = this;
    for (const t of [t0, t1]) {
      view.project(
        nth(from, 0) + t * (nth(to, 0) - nth(from, 0)),
        nth(from, 1) + t * (nth(to, 1) - nth(from, 1)),
        nth(from, 2) + t * (nth(to, 2) - nth(from, 2)),
        place,
      );
      out.push(nth(place, 0), nth(place, 1));
    }
  }

  /** What of an edge lies before the camera; null for nothing. */
  private beforeCamera(a: readonly number[], b: readonly number[]): [readonly number[], readonly number[]] | null {
    const { view } = this;
    const [da, db] = [a, b].map((p) => view.ahead(nth(p, 0), nth(p, 1), nth(p, 2))) as [number, number];
    const least = view.near * (1 + 1e-9);
    if (da > least && db > least) return [a, b];
    if (da <= least && db <= least) return null;
    const t = (least * (1 + 1e-6) - da) / (db - da);
    const cut = [0, 1, 2].map((k) => nth(a, k) + t * (nth(b, k) - nth(a, k)));
    return da > least ? [a, cut] : [cut, b];
  }
}
