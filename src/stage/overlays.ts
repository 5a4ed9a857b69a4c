import * as THREE from "three";
import type { ReadonlyTriple } from "../core/math/triple";
import type { NodeTracks } from "../core/program/layout";
import type { Pose } from "../core/program/sampling";
import { FeatureMarker } from "./featureMarker";
import { Gauge, gaugeState } from "./gauge";
import { type HandleFrame, Handles } from "./handles";
import { STAGE_COLORS } from "./palette";
import { worldOf } from "./pointing";

interface Layer {
  scene: THREE.Scene;
  face(camera: THREE.Camera): void;
}

/** What is drawn over the model, nothing of it in front: handles, the gauge of a joint, marks of places. */
export class Overlays {
  readonly handles = new Handles();
  readonly gauge = new Gauge();
  /** What a pick would take. */
  readonly marker = new FeatureMarker();
  /** Directions that slide handles run along. */
  frame: HandleFrame = "owner";
  /** The joint of the target whose gauge is shown, if any. */
  joint: string | null = null;
  private on: NodeTracks | null = null;
  private readonly spot = new FeatureMarker(STAGE_COLORS.brick);

  /** The part or group that the handles are put on, if any. */
  get target(): NodeTracks | null {
    return this.on;
  }
  set target(tracks: NodeTracks | null) {
    this.on = tracks;
    if (!tracks) this.handles.visible = false;
  }

  /** Points at a place, mm, or at none. @returns whether anything is different */
  setSpot(place: ReadonlyTriple | null): boolean {
    if (!place) return this.spot.hide();
    this.spot.show(new THREE.Vector3(...place), null, false);
    return true;
  }

  /**
   * Puts handles and gauge where the target is.
   * @param parent world matrix of the frame that it departs in; null where nothing is handled
   */
  place(shown: Pose, parent: THREE.Matrix4 | null): void {
    const target = this.on;
    if (!target || !parent) {
      this.gauge.set(null);
      return;
    }
    const own = target.node >= 0 ? worldOf(shown, target.node) : parent;
    this.handles.place(target, shown, parent, own, this.frame);
    this.gauge.set(gaugeState(target, this.joint, shown, parent));
  }

  /** @param picking while something is picked, what it would take is all that is drawn */
  draw(renderer: THREE.WebGLRenderer, camera: THREE.Camera, picking: boolean): void {
    if (!picking && this.handles.visible) over(renderer, this.handles, camera);
    if (!picking && this.gauge.shown) over(renderer, this.gauge, camera);
    if (this.marker.shown) over(renderer, this.marker, camera);
    if (!picking && this.spot.shown) over(renderer, this.spot, camera);
  }
}

function over(renderer: THREE.WebGLRenderer, layer: Layer, camera: THREE.Camera): void {
  layer.face(camera);
  renderer.clearDepth();
  renderer.render(layer.scene, camera);
}
