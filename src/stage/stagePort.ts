import type * as THREE from "three";
import type { AssemblyIndex } from "../core/assembly/assembly";
import type { AssemblyPackage } from "../core/assembly/package";
import type { Feature, FeatureKind } from "../core/geometry/features";
import type { NodeTracks } from "../core/program/layout";
import type { Program } from "../core/program/program";
import type { Pose } from "../core/program/sampling";
import type { AssemblyScene } from "./assemblyScene";
import type { FeatureMarker } from "./featureMarker";
import type { Gauge } from "./gauge";
import type { HandleDrag, Snapping } from "./handleDrag";
import type { Handles } from "./handles";
import type { Hit, Picker } from "./picker";
import type { ViewControl } from "./viewControl";

/** A feature that was pointed at, with the part it belongs to. */
export interface PickedFeature {
  node: number;
  /** In the part's own frame, mm. */
  feature: Feature;
}

/** What a pick asks for. */
export interface PickRequest {
  kinds: readonly FeatureKind[];
  /** Only features with a direction count. */
  needsDirection: boolean;
  /** Something is to turn about the direction: its sense is shown, too. */
  turns?: boolean;
  onDone(picked: PickedFeature | null): void;
}

export interface StageEvents {
  onPick(node: number | null, how: { add: boolean; double: boolean }): void;
  onHover(node: number | null): void;
  onHandle(drag: HandleDrag): void;
  /** What a pick would take, while pointing; null over nothing. */
  onFeature(picked: PickedFeature | null): void;
  onMenu(node: number | null, xPx: number, yPx: number): void;
  /** The free view was changed by hand; looking around leaves the camera. */
  onLook(): void;
  /** The machine's graphics were reset, and nothing can be drawn; or they are back, and it is drawn again. */
  onGraphics(lost: boolean): void;
  /** After every drawn frame: for what is laid over the picture. */
  onDrawn(): void;
}

/** What the cameras know of the stage that they look at. */
export interface CameraSite {
  readonly index: AssemblyIndex;
  readonly program: Program;
  readonly currentPose: Pose;
  readonly control: ViewControl;
  /** CSS pixels. */
  readonly width: number;
  readonly height: number;
  /** A sphere round everything at home, mm. */
  readonly centre: THREE.Vector3;
  readonly size: number;
  readonly events: Pick<StageEvents, "onLook">;
  update(): void;
  invalidate(): void;
}

/** What pointing at things knows of the stage. */
export interface PointingSite {
  readonly index: AssemblyIndex;
  readonly pkg: AssemblyPackage;
  readonly assembly: AssemblyScene;
  readonly currentPose: Pose;
  readonly camera: THREE.Camera;
  readonly width: number;
  readonly height: number;
  readonly picker: Picker;
  readonly marker: FeatureMarker;
  invalidate(): void;
}

/** What pointer and keys know of the stage. */
export interface InputSite {
  readonly canvas: HTMLCanvasElement;
  readonly events: StageEvents;
  readonly index: AssemblyIndex;
  readonly camera: THREE.Camera;
  readonly cameras: { leaveCamera(): unknown };
  readonly pointing: {
    rayAt(x: number, y: number): THREE.Ray;
    pickAt(x: number, y: number, except?: ReadonlySet<number> | null): Hit | null;
    featureAt(
      x: number,
      y: number,
      kinds: readonly FeatureKind[],
      except?: ReadonlySet<number> | null,
    ): PickedFeature | null;
    showFeature(picked: PickedFeature | null, turns?: boolean): void;
    middleOf(node: number): [number, number, number];
  };
  readonly control: ViewControl;
  readonly currentPose: Pose;
  readonly handles: Handles;
  readonly gauge: Gauge;
  readonly handleTarget: NodeTracks | null;
  readonly snapping: Snapping;
  readonly mmPerUnit: number;
  readonly orbitNodes: readonly number[];
  readonly width: number;
  readonly height: number;
  readonly size: number;
  draggedNodes(): readonly number[];
  departureFrame(tracks: NodeTracks): THREE.Matrix4;
  invalidate(): void;
}
