import type { Target } from "../../core/document/keys";
import type { Joint } from "../../core/document/preparation";
import { freshId } from "../../core/edit/id";
import { FACE_STRIDE, faceInfo } from "../../core/geometry/geometry";
import { nth } from "../../core/math/packed";
import type { Triple } from "../../core/math/triple";
import { coarsePitch } from "../../core/moves/threads";
import { Refusal } from "../../core/text/refusal";
import { targetName } from "../names";
import type { Desk } from "../port";

/**
 * A screw joint along a fastener's own axis: that of its round faces, pointing to its thicker end, where the head is.
 * The pitch is the coarse one of its thinner diameter. @throws Refusal when the part has no round faces to tell by
 */
export function screwJoint(desk: Desk, target: Target): Joint {
  const name = targetName(desk, target);
  const node = target.type === "node" ? (desk.index.indexOf.get(target.key) ?? -1) : -1;
  const geometry = desk.pkg.geometries[desk.index.assembly.nodes[node]?.geometry ?? -1];
  const round = geometry
    ? Array.from({ length: geometry.faces.length / FACE_STRIDE }, (_, f) => faceInfo(geometry.faces, f)).filter(
        (f) => f.kind === "cylinder",
      )
    : [];
  const thin = round.reduce<(typeof round)[number] | null>(
    (best, f) => (!best || f.triangles * f.radius > best.triangles * best.radius ? f : best),
    null,
  );
  if (!geometry || !thin || target.type !== "node") throw new Refusal("no-thread-axis", { name });
  const { point, axis } = thin;
  // Where the wider corners lie along the axis is where the head is.
  let wide = 0;
  let middle = 0;
  let widest = 0;
  const p = geometry.positions;
  for (let i = 0; i < p.length; i += 3) {
    const d = [0, 1, 2].map((k) => nth(p, i + k) - nth(point, k)) as Triple;
    const along = d[0] * axis[0] + d[1] * axis[1] + d[2] * axis[2];
    const away = Math.hypot(...d.map((v, k) => v - along * nth(axis, k)));
    middle += along / (p.length / 3);
    if (away > widest + 1e-6) {
      widest = away;
      wide = along;
    }
  }
  const out = wide >= middle ? 1 : -1;
  const radii = round
    .filter((f) => Math.abs(f.axis[0] * axis[0] + f.axis[1] * axis[1] + f.axis[2] * axis[2]) > 0.999)
    .map((f) => f.radius);
  return {
    id: freshId(),
    name: `${name} thread`.slice(0, 200),
    target,
    kind: "screw",
    point,
    direction: axis.map((v) => v * out || 0) as Triple,
    zero: 0,
    flipped: false,
    // A right-hand thread comes towards the head when turned to the left, seen from there: counted positive about the
    // direction.
    pitch: coarsePitch(2 * Math.min(...radii)),
    limits: null,
  };
}
