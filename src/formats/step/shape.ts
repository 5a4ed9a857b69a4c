import type { TopoDS_Shape } from "opencascade.js";
import { featureEdges } from "../../core/geometry/featureEdges";
import { boundsOf, FACE_STRIDE, type Geometry, SURFACE_KINDS, type SurfaceKind } from "../../core/geometry/geometry";
import { nth } from "../../core/math/packed";
import type { Kernel } from "./kernel";
import type { StepOptions } from "./options";
import { type FaceMesh, readTriangulation } from "./triangulation";

/** Colour of one face, packed 0xRRGGBB (sRGB), or -1. */
export type FaceColor = (face: TopoDS_Shape) => number;

/** What a shape holds, and what of it could not be drawn. */
export interface ShapeCounts {
  faces: number;
  /** Faces without a mesh, after all that could be tried. */
  lost: number;
  /** Surfaces that do not close a body. */
  openShells: number;
}

/**
 * Turns one meshed B-rep shape into a geometry: triangles grouped by face, surface normals, the face table with exact
 * axes, and feature edges. The shape must already carry its triangulation. A face that has none (the kernel leaves a
 * cone that ends in its tip without) is meshed as a spline face; its kind and axis stay those of the original.
 * The geometry is null when no face has triangles.
 */
export function readShape(
  kernel: Kernel,
  shape: TopoDS_Shape,
  id: string,
  colorOf: FaceColor | null,
  options: Required<StepOptions>,
): ShapeCounts & { geometry: Geometry | null } {
  const counts: ShapeCounts = { faces: 0, lost: 0, openShells: openShellsOf(kernel, shape) };
  const faces: { mesh: FaceMesh; reversed: boolean; row: number[] }[] = [];
  let vertices = 0;
  let corners = 0;
  const explorer = new kernel.TopExp_Explorer_2(
    shape,
    kernel.TopAbs_ShapeEnum.TopAbs_FACE as never,
    kernel.TopAbs_ShapeEnum.TopAbs_SHAPE as never,
  );
  for (; explorer.More(); explorer.Next()) {
    const face = kernel.TopoDS.Face_1(explorer.Current());
    counts.faces++;
    const found = meshOf(kernel, face) ?? asSpline(kernel, face, options);
    if (found) {
      const row = new Array<number>(FACE_STRIDE).fill(0);
      describeSurface(kernel, face, row);
      row[11] = colorOf ? colorOf(face) : -1;
      faces.push({ ...found, row });
      vertices += found.mesh.nodes.length;
      corners += found.mesh.triangles.length;
    } else counts.lost++;
    face.delete();
  }
  explorer.delete();
  if (corners === 0) return { ...counts, geometry: null };
  const positions = new Float32Array(vertices);
  const normals = new Float32Array(vertices);
  const indices = new Uint32Array(corners);
  const table = new Float64Array(faces.length * FACE_STRIDE);
  let v = 0;
  let c = 0;
  faces.forEach(({ mesh, reversed, row }, f) => {
    positions.set(mesh.nodes, v);
    row[0] = c / 3;
    row[1] = mesh.triangles.length / 3;
    table.set(row, f * FACE_STRIDE);
    const base = v / 3;
    const t = mesh.triangles;
    for (let i = 0; i < t.length; i += 3) {
      indices[c + i] = base + nth(t, i);
      indices[c + i + 1] = base + nth(t, reversed ? i + 2 : i + 1);
      indices[c + i + 2] = base + nth(t, reversed ? i + 1 : i + 2);
    }
    writeNormals(positions, normals, indices, v, mesh, c, c + t.length);
    v += mesh.nodes.length;
    c += t.length;
  });
  const geometry: Geometry = {
    id,
    positions,
    normals,
    indices,
    faces: table,
    edges: featureEdges(positions, normals, indices, table),
    bounds: boundsOf(positions),
  };
  return { ...counts, geometry };
}

type Face = ReturnType<Kernel["TopoDS"]["Face_1"]>;
interface FoundMesh {
  mesh: FaceMesh;
  /** The face looks against its surface's own sense. */
  reversed: boolean;
}

/** The triangles that a face carries; null when it has none. */
function meshOf(kernel: Kernel, face: Face): FoundMesh | null {
  const location = new kernel.TopLoc_Location_1();
  const handle = kernel.BRep_Tool.Triangulation(face, location, 0 as never);
  let out: FoundMesh | null = null;
  if (!handle.IsNull() && handle.get().NbTriangles() > 0) {
    kernel.StdPrs_ToolTriangulatedShape.ComputeNormals_1(face, handle);
    const mesh = readTriangulation(kernel, handle.get());
    if (!location.IsIdentity()) placeMesh(mesh, location);
    out = { mesh, reversed: face.Orientation_1() === (kernel.TopAbs_Orientation.TopAbs_REVERSED as unknown) };
  }
  handle.delete();
  location.delete();
  return out;
}

/** A face that the mesher left out, meshed as a spline face of the same form; null when that fails as well. */
function asSpline(kernel: Kernel, face: Face, options: Required<StepOptions>): FoundMesh | null {
  try {
    const convert = new kernel.BRepBuilderAPI_NurbsConvert_2(face, true);
    const spline = convert.Shape();
    new kernel.BRepMesh_IncrementalMesh_2(
      spline,
      options.deflection * 5,
      true,
      (options.angleDeg * Math.PI) / 180,
      false,
    ).delete();
    const explorer = new kernel.TopExp_Explorer_2(
      spline,
      kernel.TopAbs_ShapeEnum.TopAbs_FACE as never,
      kernel.TopAbs_ShapeEnum.TopAbs_SHAPE as never,
    );
    let out: FoundMesh | null = null;
    if (explorer.More()) {
      const made = kernel.TopoDS.Face_1(explorer.Current());
      out = meshOf(kernel, made);
      made.delete();
    }
    explorer.delete();
    spline.delete();
    convert.delete();
    return out;
  } catch (error) {
    // The kernel throws numbers for shapes it cannot work on; anything else is ours.
    if (typeof error === "number") return null;
    throw error;
  }
}

/** Surfaces in a shape that close no body. */
function openShellsOf(kernel: Kernel, shape: TopoDS_Shape): number {
  let open = 0;
  const explorer = new kernel.TopExp_Explorer_2(
    shape,
    kernel.TopAbs_ShapeEnum.TopAbs_SHELL as never,
    kernel.TopAbs_ShapeEnum.TopAbs_SHAPE as never,
  );
  for (; explorer.More(); explorer.Next()) {
    const shell = explorer.Current();
    if (!kernel.BRep_Tool.IsClosed_1(shell)) open++;
  }
  explorer.delete();
  return open;
}

/** Applies a face's own placement, which the triangulation leaves out. */
function placeMesh(mesh: FaceMesh, location: { Transformation(): unknown }): void {
  const t = location.Transformation() as { Value(r: number, c: number): number; delete(): void };
  const m = [1, 2, 3].map((r) => [1, 2, 3, 4].map((col) => t.Value(r, col)));
  t.delete();
  const turn = (array: Float64Array | Float32Array, shift: number) => {
    for (let i = 0; i < array.length; i += 3) {
      const x = nth(array, i),
        y = nth(array, i + 1),
        z = nth(array, i + 2);
      for (let r = 0; r < 3; r++) {
        const row = m[r] as number[];
        array[i + r] = nth(row, 0) * x + nth(row, 1) * y + nth(row, 2) * z + shift * nth(row, 3);
      }
    }
  };
  turn(mesh.nodes, 1);
  if (mesh.normals) turn(mesh.normals, 0);
}

/** Surface normals point along the surface's own sense; they are turned to agree with the outward triangles. */
function writeNormals(
  positions: Float32Array,
  normals: Float32Array,
  indices: Uint32Array,
  v: number,
  mesh: FaceMesh,
  from: number,
  to: number,
): void {
  const facet = new Float32Array(mesh.nodes.length);
  for (let i = from; i < to; i += 3) {
    const a = nth(indices, i) * 3,
      b = nth(indices, i + 1) * 3,
      d = nth(indices, i + 2) * 3;
    const e = (k: number, p: number, q: number) => nth(positions, p + k) - nth(positions, q + k);
    const ux = e(0, b, a),
      uy = e(1, b, a),
      uz = e(2, b, a),
      wx = e(0, d, a),
      wy = e(1, d, a),
      wz = e(2, d, a);
    const n = [uy * wz - uz * wy, uz * wx - ux * wz, ux * wy - uy * wx] as const;
    for (const p of [a, b, d]) for (let k = 0; k < 3; k++) facet[p - v + k] = nth(facet, p - v + k) + nth(n, k);
  }
  const source = mesh.normals;
  let agree = 0;
  if (source) for (let i = 0; i < facet.length; i++) agree += nth(source, i) * nth(facet, i);
  for (let i = 0; i < facet.length; i += 3) {
    const s = source ? (agree < 0 ? -1 : 1) : 0;
    let x = source ? nth(source, i) * s : nth(facet, i);
    let y = source ? nth(source, i + 1) * s : nth(facet, i + 1);
    let z = source ? nth(source, i + 2) * s : nth(facet, i + 2);
    let length = Math.hypot(x, y, z);
    if (!(length > 0.5 || (!source && length > 0))) {
      x = nth(facet, i);
      y = nth(facet, i + 1);
      z = nth(facet, i + 2);
      length = Math.hypot(x, y, z) || 1;
    }
    normals[v + i] = x / length;
    normals[v + i + 1] = y / length;
    normals[v + i + 2] = z / length;
  }
}

const _kinds = new Map<string, SurfaceKind>([
  ["GeomAbs_Plane", "plane"],
  ["GeomAbs_Cylinder", "cylinder"],
  ["GeomAbs_Cone", "cone"],
  ["GeomAbs_Sphere", "sphere"],
  ["GeomAbs_Torus", "torus"],
]);
let _byValue: Map<unknown, SurfaceKind> | null = null;

/** Fills kind, axis and radii of a face-table row from the exact surface. */
function describeSurface(kernel: Kernel, face: ReturnType<Kernel["TopoDS"]["Face_1"]>, row: number[]): void {
  if (!_byValue) {
    _byValue = new Map();
    const types = kernel.GeomAbs_SurfaceType as unknown as Record<string, unknown>;
    for (const [name, kind] of _kinds) _byValue.set(types[name], kind);
  }
  const surface = new kernel.BRepAdaptor_Surface_2(face, false);
  const kind = _byValue.get(surface.GetType()) ?? "other";
  row[2] = SURFACE_KINDS.indexOf(kind);
  const take = (shape: { Location(): unknown; delete(): void }, axis: { Direction(): unknown; delete(): void }) => {
    const p = shape.Location() as { X(): number; Y(): number; Z(): number; delete(): void };
    const d = axis.Direction() as { X(): number; Y(): number; Z(): number; delete(): void };
    row[3] = p.X();
    row[4] = p.Y();
    row[5] = p.Z();
    row[6] = d.X();
    row[7] = d.Y();
    row[8] = d.Z();
    p.delete();
    d.delete();
    axis.delete();
    shape.delete();
  };
  if (kind === "plane") {
    const s = surface.Plane();
    take(s, s.Axis());
  } else if (kind === "cylinder") {
    const s = surface.Cylinder();
    row[9] = s.Radius();
    take(s, s.Axis());
  } else if (kind === "cone") {
    const s = surface.Cone();
    row[9] = s.RefRadius();
    row[10] = (s.SemiAngle() * 180) / Math.PI;
    take(s, s.Axis());
  } else if (kind === "sphere") {
    const s = surface.Sphere();
    row[9] = s.Radius();
    const frame = s.Position();
    take(s, frame.Axis() as never);
    frame.delete();
  } else if (kind === "torus") {
    const s = surface.Torus();
    row[9] = s.MajorRadius();
    row[10] = s.MinorRadius();
    take(s, s.Axis());
  }
  surface.delete();
}
