import type { ReadonlyTriple } from "../../src/core/math/triple";
import type { Kernel } from "../../src/formats/step/kernel";

// The modelling script talks to a very wide binding surface whose generated types disagree with its overloads in many
// places; it is a tool run by hand, so it takes the kernel untyped.
// biome-ignore lint/suspicious/noExplicitAny: see above
export type Any = any;
export type Solid = Any;
export type Vec = ReadonlyTriple;

/** A handful of solid-modelling verbs over the kernel; lengths in mm, angles in degrees. */
export function solids(kernel: Kernel) {
  const k = kernel as Any;
  const pnt = (p: Vec) => new k.gp_Pnt_3(...p);
  const dir = (d: Vec) => new k.gp_Dir_4(...d);
  const ax2 = (p: Vec, d: Vec) => new k.gp_Ax2_3(pnt(p), dir(d));
  const range = () => new k.Message_ProgressRange_1();

  const box = (min: Vec, max: Vec): Solid => new k.BRepPrimAPI_MakeBox_4(pnt(min), pnt(max)).Shape();
  /** Cylinder from a base point along a unit direction. */
  const cylinder = (base: Vec, d: Vec, radius: number, height: number): Solid =>
    new k.BRepPrimAPI_MakeCylinder_3(ax2(base, d), radius, height).Shape();
  const cone = (base: Vec, d: Vec, r1: number, r2: number, height: number): Solid =>
    new k.BRepPrimAPI_MakeCone_3(ax2(base, d), r1, r2, height).Shape();
  const sphere = (centre: Vec, radius: number): Solid => new k.BRepPrimAPI_MakeSphere_5(pnt(centre), radius).Shape();
  const torus = (centre: Vec, d: Vec, major: number, minor: number): Solid =>
    new k.BRepPrimAPI_MakeTorus_5(ax2(centre, d), major, minor).Shape();
  const fuse = (...parts: Solid[]): Solid => {
    const whole = parts.reduce((a, b) => new k.BRepAlgoAPI_Fuse_3(a, b, range()).Shape());
    const unify = new k.ShapeUpgrade_UnifySameDomain_2(whole, true, true, false);
    unify.Build();
    return unify.Shape();
  };
  const cut = (a: Solid, ...tools: Solid[]): Solid =>
    tools.reduce((s, t) => new k.BRepAlgoAPI_Cut_3(s, t, range()).Shape(), a);
  /** Tube from a base point along a direction. */
  const tube = (base: Vec, d: Vec, outer: number, inner: number, height: number): Solid =>
    cut(cylinder(base, d, outer, height), cylinder(base, d, inner, height));
  /** Straight prism over a closed polygon in XY, from z0 to z1. */
  const prism = (points: readonly (readonly [number, number])[], z0: number, z1: number): Solid => {
    const polygon = new k.BRepBuilderAPI_MakePolygon_1();
    for (const [x, y] of points) polygon.Add_1(pnt([x, y, z0]));
    polygon.Close();
    const face = new k.BRepBuilderAPI_MakeFace_15(polygon.Wire(), true).Face();
    return new k.BRepPrimAPI_MakePrism_1(face, new k.gp_Vec_4(0, 0, z1 - z0), false, true).Shape();
  };
  const trsf = (set: (t: Any) => void) => {
    const t = new k.gp_Trsf_1();
    set(t);
    return t;
  };
  const transformed = (s: Solid, t: Any): Solid => new k.BRepBuilderAPI_Transform_2(s, t, true).Shape();
  const moved = (s: Solid, v: Vec): Solid =>
    transformed(
      s,
      trsf((t) => t.SetTranslation_1(new k.gp_Vec_4(...v))),
    );
  const turned = (s: Solid, point: Vec, axis: Vec, deg: number): Solid =>
    transformed(
      s,
      trsf((t) => t.SetRotation_1(new k.gp_Ax1_2(pnt(point), dir(axis)), (deg * Math.PI) / 180)),
    );

  /** Rounds the edges that `pick` chooses by their two ends; edges a fillet cannot round are left sharp. */
  const fillet = (s: Solid, radius: number, pick: (a: Vec, b: Vec) => boolean): Solid => {
    const maker = new k.BRepFilletAPI_MakeFillet(s, k.ChFi3d_FilletShape.ChFi3d_Rational);
    const explorer = new k.TopExp_Explorer_2(s, k.TopAbs_ShapeEnum.TopAbs_EDGE, k.TopAbs_ShapeEnum.TopAbs_SHAPE);
    const seen: Any[] = [];
    for (; explorer.More(); explorer.Next()) {
      const edge = k.TopoDS.Edge_1(explorer.Current());
      if (seen.some((e) => e.IsSame(edge)) || k.BRep_Tool.Degenerated(edge)) continue;
      seen.push(edge);
      const ends = [k.TopExp.FirstVertex(edge, true), k.TopExp.LastVertex(edge, true)].map((v: Any) => {
        const p = k.BRep_Tool.Pnt(v);
        return [p.X(), p.Y(), p.Z()] as unknown as Vec;
      });
      if (pick(ends[0] as Vec, ends[1] as Vec)) maker.Add_2(radius, edge);
    }
    if (maker.NbContours() === 0) return s;
    try {
      maker.Build(range());
      return maker.IsDone() ? maker.Shape() : s;
    } catch {
      return s;
    }
  };
  const near = (a: number, b: number) => Math.abs(a - b) < 1e-6;
  const upright = (a: Vec, b: Vec) => near(a[0], b[0]) && near(a[1], b[1]) && !near(a[2], b[2]);
  const alongY = (a: Vec, b: Vec) => near(a[0], b[0]) && near(a[2], b[2]) && !near(a[1], b[1]);
  const atZ = (z: number) => (a: Vec, b: Vec) => near(a[2], z) && near(b[2], z);
  const atY = (y: number) => (a: Vec, b: Vec) => near(a[1], y) && near(b[1], y);

  /** Helical spring along +Z from z = 0: round wire swept along a helix on a cylinder. */
  const spring = (radius: number, wire: number, pitch: number, turns: number): Solid => {
    const surface = new k.Geom_CylindricalSurface_1(new k.gp_Ax3_1(), radius);
    const line = new k.Geom2d_Line_3(new k.gp_Pnt2d_3(0, 0), new k.gp_Dir2d_4(2 * Math.PI, pitch));
    const edge = new k.BRepBuilderAPI_MakeEdge_31(
      new k.Handle_Geom2d_Curve_2(line),
      new k.Handle_Geom_Surface_2(surface),
      0,
      turns * Math.hypot(2 * Math.PI, pitch),
    ).Edge();
    k.BRepLib.BuildCurves3d_2(edge);
    const path = new k.BRepBuilderAPI_MakeWire_2(edge).Wire();
    const slope = Math.atan2(pitch, 2 * Math.PI * radius);
    const frame = ax2([radius, 0, 0], [0, Math.cos(slope), Math.sin(slope)]);
    const circle = new k.BRepBuilderAPI_MakeEdge_8(new k.gp_Circ_2(frame, wire)).Edge();
    const profile = new k.BRepBuilderAPI_MakeFace_15(new k.BRepBuilderAPI_MakeWire_2(circle).Wire(), true).Face();
    return new k.BRepOffsetAPI_MakePipe_1(path, profile).Shape();
  };

  return {
    kernel: k,
    box,
    cylinder,
    cone,
    sphere,
    torus,
    fuse,
    cut,
    tube,
    prism,
    moved,
    turned,
    fillet,
    upright,
    alongY,
    atZ,
    atY,
    spring,
  };
}
export type Solids = ReturnType<typeof solids>;

/**
 * Outline of a spur gear with involute flanks (20 degrees pressure angle, addendum 1, dedendum 1.25 modules), centred
 * on the origin, a tooth on +X. Points in order, mm.
 */
export function gearOutline(teeth: number, module: number, flankPoints = 3): [number, number][] {
  const pitch = (teeth * module) / 2;
  const base = pitch * Math.cos((20 * Math.PI) / 180);
  const outer = pitch + module;
  const root = pitch - 1.25 * module;
  const involute = (r: number) => {
    const a = Math.acos(Math.min(1, base / r));
    return Math.tan(a) - a;
  };
  // Half the tooth's angle at the pitch circle, less a little play so that a pair does not touch on both flanks.
  const half = Math.PI / (2 * teeth) - 0.04 / pitch;
  const from = Math.max(base, root + 0.01);
  const points: [number, number][] = [];
  for (let t = 0; t < teeth; t++) {
    const centre = (2 * Math.PI * t) / teeth;
    const put = (r: number, angle: number) => points.push([r * Math.cos(centre + angle), r * Math.sin(centre + angle)]);
    const angleAt = (r: number) => half + involute(pitch) - involute(r);
    put(root, -angleAt(from) - 0.2 / root);
    for (let i = 0; i < flankPoints; i++) {
      const r = from + ((outer - from) * i) / (flankPoints - 1);
      put(r, -angleAt(r));
    }
    for (let i = flankPoints - 1; i >= 0; i--) {
      const r = from + ((outer - from) * i) / (flankPoints - 1);
      put(r, angleAt(r));
    }
    put(root, angleAt(from) + 0.2 / root);
  }
  return points;
}
