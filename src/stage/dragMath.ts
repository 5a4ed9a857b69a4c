import * as THREE from "three";

/**
 * Distance along an axis line (through `origin`, unit `axis`) of the point nearest to a ray; null when they run
 * alike.
 */
export function alongAxis(ray: THREE.Ray, origin: THREE.Vector3, axis: THREE.Vector3): number | null {
  const w = ray.origin.clone().sub(origin);
  const b = ray.direction.dot(axis);
  const d = w.dot(ray.direction);
  const e = w.dot(axis);
  const k = 1 - b * b;
  if (k < 1e-4) return null;
  return (e - b * d) / k;
}

/** Angle in degrees of a ray's hit about an axis, from a fixed reference; null where the plane is seen edge-on. */
export function angleAbout(
  ray: THREE.Ray,
  origin: THREE.Vector3,
  axis: THREE.Vector3,
  reference: THREE.Vector3,
): number | null {
  if (Math.abs(ray.direction.dot(axis)) < 0.12) return null;
  const hit =
    ray.intersectPlane(new THREE.Plane().setFromNormalAndCoplanarPoint(axis, origin), new THREE.Vector3()) ??
    behind(ray, origin, axis);
  if (!hit) return null;
  const v = hit.sub(origin);
  const side = new THREE.Vector3().crossVectors(axis, reference);
  return (Math.atan2(v.dot(side), v.dot(reference)) * 180) / Math.PI;
}

function behind(ray: THREE.Ray, origin: THREE.Vector3, axis: THREE.Vector3): THREE.Vector3 | null {
  const denominator = axis.dot(ray.direction);
  if (denominator === 0) return null;
  return ray.origin.clone().addScaledVector(ray.direction, axis.dot(origin.clone().sub(ray.origin)) / denominator);
}

/** Adds an angle to a running total by the nearer way, so that dragging round and round keeps counting. */
export function accumulate(total: number, last: number, now: number): number {
  let d = now - last;
  d -= 360 * Math.round(d / 360);
  return total + d;
}

/** Rounds to a multiple of an increment; an increment of 0 leaves the value alone. */
export function snapped(value: number, increment: number): number {
  if (increment <= 0) return value;
  return Number((Math.round(value / increment) * increment).toFixed(9));
}
