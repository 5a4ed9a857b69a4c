import * as THREE from "three";
import { nth } from "../core/math/packed";
import { BatchList, type Ranges } from "./batchList";

/** Above which opacity a part hides what is behind it, and throws a shadow. */
const [HIDES, THROWS] = [0.85, 0.6];
/** Most calls that the see-through parts are drawn with. */
const MOST_RUNS = 64;
/** Place of a part's number in what it is sorted by, below that of its distance in so many steps. */
const [NUMBERS, STEPS] = [2 ** 20, 2 ** 32];

const _view = new THREE.Matrix4();
const _frustum = new THREE.Frustum();
const _box = new THREE.Box3();

/**
 * The see-through parts of an assembly, drawn from the farthest to the nearest whatever their number: in runs of such as
 * hide what is behind them and such as do not, mostly one. The order is that of the middle of their boxes.
 */
export class ClearParts {
  /** Opacity of each part that is see-through, else 0. */
  private readonly opacity: Float64Array;
  private readonly depth: Float64Array;
  /** Distance and number of each see-through part in one number, to be sorted without a function. */
  private keys = new Float64Array(0);
  private count = 0;
  private readonly runs: BatchList[] = [];
  private thrown: BatchList | null = null;
  private changed = false;
  /** A part of no area that is drawn as the see-through ones are; see {@link warm}. */
  private warming = false;
  private readonly plain: THREE.Material;
  private readonly hiding: THREE.Material;

  /**
   * @param surface makes what they are drawn with
   * @param reach world boxes as drawn, 6 doubles a part
   * @param speck number of an instance without area
   */
  constructor(
    private readonly scene: THREE.Scene,
    private readonly batch: THREE.BatchedMesh,
    private readonly ranges: Ranges,
    surface: () => THREE.Material,
    private readonly reach: Float64Array,
    private readonly speck: number,
  ) {
    [this.plain, this.hiding] = [surface(), surface()];
    this.plain.transparent = this.hiding.transparent = true;
    this.plain.depthWrite = false;
    this.opacity = new Float64Array(ranges.starts.length);
    this.depth = new Float64Array(ranges.starts.length);
  }

  /** Says how see-through a part is: 0 for one that is not, or is not in sight. */
  set(id: number, opacity: number): void {
    const before = nth(this.opacity, id);
    this.opacity[id] = opacity;
    this.count += (opacity > 0 ? 1 : 0) - (before > 0 ? 1 : 0);
    if (before > THROWS !== opacity > THROWS) this.changed = true;
  }

  /** Has everything made ready that see-through parts need, in the pictures drawn until what is returned is called. */
  warm(): () => void {
    this.warming = this.changed = true;
    return () => {
      this.warming = false;
      this.changed = true;
    };
  }

  /** Puts them in order for a camera. Allocates nothing but where their number changed, or there are more runs. */
  order(camera: THREE.Camera): void {
    if (this.changed) this.listThrown();
    const { keys, depth, opacity, reach, count } = this;
    for (let r = 0; r < this.runs.length; r++) (this.runs[r] as BatchList).visible = false;
    if (count === 0) {
      if (this.warming) this.listSpeck();
      return;
    }
    if (keys.length !== count) this.keys = new Float64Array(count);
    _view.multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse);
    _frustum.setFromProjectionMatrix(_view);
    const e = camera.matrixWorldInverse.elements;
    let near = Infinity;
    let far = -Infinity;
    for (let id = 0; id < opacity.length; id++) {
      if (opacity[id] === 0) continue;
      const o = 6 * id;
      const x = nth(reach, o) + nth(reach, o + 3);
      const y = nth(reach, o + 1) + nth(reach, o + 4);
      const z = nth(reach, o + 2) + nth(reach, o + 5);
      const d = -(nth(e, 2) * x + nth(e, 6) * y + nth(e, 10) * z);
      depth[id] = d;
      if (d < near) near = d;
      if (d > far) far = d;
    }
    this.sort(near, far);
    this.listRuns();
  }

  /** Sorts the see-through parts from the farthest to the nearest, those at the same distance by number. */
  private sort(near: number, far: number): void {
    const { keys, depth, opacity } = this;
    const scale = far > near ? (STEPS - 1) / (far - near) : 0;
    let k = 0;
    for (let id = 0; id < opacity.length; id++)
      if (opacity[id] !== 0) keys[k++] = Math.floor((far - nth(depth, id)) * scale) * NUMBERS + id;
    keys.sort();
  }

  private listRuns(): void {
    const { keys, opacity, reach } = this;
    let n = 0;
    let hides = false;
    let run: BatchList | null = null;
    for (let k = 0; k < keys.length; k++) {
      const id = nth(keys, k) % NUMBERS;
      const o = 6 * id;
      _box.min.set(nth(reach, o), nth(reach, o + 1), nth(reach, o + 2));
      _box.max.set(nth(reach, o + 3), nth(reach, o + 4), nth(reach, o + 5));
      if (!_frustum.intersectsBox(_box)) continue;
      const its = nth(opacity, id) > HIDES;
      if (!run || (its !== hides && n < MOST_RUNS)) {
        run?.end();
        run = this.runAt(n++, its);
        hides = its;
      }
      run.put(id);
    }
    run?.end();
  }

  /** Begins a run. */
  private runAt(n: number, hides: boolean): BatchList {
    let run = this.runs[n];
    if (!run) {
      run = new BatchList(this.batch, this.ranges, this.plain);
      run.receiveShadow = true;
      // Before all that lies over the parts, and one after another.
      run.renderOrder = 2 + n / 1024;
      this.runs.push(run);
      this.scene.add(run);
    }
    run.material = hides ? this.hiding : this.plain;
    run.begin();
    return run;
  }

  private listSpeck(): void {
    const run = this.runAt(0, false);
    run.put(this.speck);
    run.end();
  }

  private listThrown(): void {
    this.changed = false;
    if (!this.thrown) {
      this.thrown = new BatchList(this.batch, this.ranges, this.plain, true);
      this.thrown.castShadow = true;
      this.thrown.renderOrder = 2;
      this.scene.add(this.thrown);
    }
    this.thrown.begin();
    for (let id = 0; id < this.opacity.length; id++) if (nth(this.opacity, id) > THROWS) this.thrown.put(id);
    if (this.warming) this.thrown.put(this.speck);
    this.thrown.end();
  }

  dispose(): void {
    for (const run of this.runs) run.dispose();
    this.thrown?.dispose();
    this.plain.dispose();
    this.hiding.dispose();
  }
}
