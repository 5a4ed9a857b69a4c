import * as THREE from "three";
import { type FeatureKind, featureAt } from "../core/geometry/features";
import { tripleAt } from "../core/math/packed";
import { plus, type Triple, times } from "../core/math/triple";
import { posedBounds } from "../core/program/pose";
import type { Pose } from "../core/program/sampling";
import { viewSpan } from "./handles";
import type { Hit } from "./picker";
import type { PickedFeature, PointingSite } from "./stagePort";

/** How near to an edge or corner a pointer takes it, CSS pixels. */
const FEATURE_REACH_PX = 9;

/** World matrix of a node in a pose. */
export const worldOf = (pose: Pose, node: number): THREE.Matrix4 =>
  new THREE.Matrix4().fromArray(pose.world, 16 * node);

/** World place of a picked feature as its part stands in a pose. */
export function worldPoint(pose: Pose, { node, feature }: PickedFeature): THREE.Vector3 {
  return new THREE.Vector3(...feature.point).applyMatrix4(worldOf(pose, node));
}
/** World direction of a picked feature, of length 1; null where it has none. */
export function worldDirection(pose: Pose, { node, feature }: PickedFeature): THREE.Vector3 | null {
  return feature.direction ? new THREE.Vector3(...feature.direction).transformDirection(worldOf(pose, node)) : null;
}

/** What lies under a point of the canvas (CSS pixels), and what of it is shown. */
export class Pointing {
  constructor(private readonly site: PointingSite) {}

  /** Middle of a node as it stands now, world mm. */
  middleOf(node: number): Triple {
    const box = posedBounds(this.site.index, [node], this.site.currentPose);
    return times(plus(tripleAt(box), tripleAt(box, 3)), 0.5);
  }

  rayAt(x: number, y: number): THREE.Ray {
    const raycaster = new THREE.Raycaster();
    raycaster.setFromCamera(
      new THREE.Vector2((x / this.site.width) * 2 - 1, 1 - (y / this.site.height) * 2),
      this.site.camera,
    );
    return raycaster.ray;
  }

  /** The part under a point of the canvas (CSS pixels). */
  pickAt(x: number, y: number, except: ReadonlySet<number> | null = null): Hit | null {
    return this.site.picker.pick(this.rayAt(x, y), except);
  }

  /**
   * The feature of a part under a point of the canvas, of the wanted kinds; edges and corners count within a few
   * pixels.
   */
  featureAt(
    x: number,
    y: number,
    kinds: readonly FeatureKind[],
    except: ReadonlySet<number> | null = null,
  ): PickedFeature | null {
    const hit = this.pickAt(x, y, except);
    const part = hit && this.site.assembly.byNode.get(hit.node);
    const geometry = part && this.site.pkg.geometries[part.geometry];
    if (!hit || !part || !geometry) return null;
    const reach =
      ((viewSpan(this.site.camera, hit.point) / this.site.height) * FEATURE_REACH_PX) /
      Math.max(1e-9, part.matrix.getMaxScaleOnAxis());
    const local = hit.point.clone().applyMatrix4(part.matrix.clone().invert());
    const feature = featureAt(geometry, hit.triangle, local.toArray(), reach, kinds);
    return feature ? { node: hit.node, feature } : null;
  }

  /** Shows what a pick would take, or nothing. */
  showFeature(picked: PickedFeature | null, turns = false): void {
    const { currentPose, marker } = this.site;
    if (picked) marker.show(worldPoint(currentPose, picked), worldDirection(currentPose, picked), turns);
    else if (!this.site.marker.hide()) return;
    this.site.invalidate();
  }
}
