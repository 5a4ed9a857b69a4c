import * as THREE from "three";
import { nth } from "../core/math/packed";

/** What a batch holds that three.js has no word for; see {@link BatchList}. */
interface Held {
  _matricesTexture: THREE.DataTexture;
  _colorsTexture: THREE.DataTexture | null;
}

/** Where in a batch's geometry each instance's triangles begin, bytes, and how many corners they have. */
export interface Ranges {
  starts: Int32Array;
  counts: Int32Array;
}

/** Ranges of every instance of a batch, once all are in it. */
export function rangesOf(batch: THREE.BatchedMesh): Ranges {
  const n = batch.instanceCount;
  const ranges = { starts: new Int32Array(n), counts: new Int32Array(n) };
  const bytes = batch.geometry.getIndex()?.array.BYTES_PER_ELEMENT ?? 1;
  for (let i = 0; i < n; i++) {
    const range = batch.getGeometryRangeAt(batch.getGeometryIdAt(i));
    ranges.starts[i] = (range?.start ?? 0) * bytes;
    ranges.counts[i] = range?.count ?? 0;
  }
  return ranges;
}

/**
 * Some instances of a batch, drawn in one call of their own: in the order they are listed, with another material. What
 * they are made of, where they stand and their colours are the batch's. It is a batch to three.js, whose own fields it
 * has for that; a second batch would hold all triangles again.
 */
export class BatchList extends THREE.Mesh<THREE.BufferGeometry, THREE.Material> {
  readonly isBatchedMesh = true;
  readonly boundingSphere = new THREE.Sphere();
  readonly _multiDrawStarts: Int32Array;
  readonly _multiDrawCounts: Int32Array;
  readonly _indirectTexture: THREE.DataTexture;
  _multiDrawCount = 0;
  /** The instances listed, in the order they are drawn: the first `length` of them. */
  readonly ids: Uint32Array;
  length = 0;
  private other = false;

  constructor(
    private readonly batch: THREE.BatchedMesh,
    private readonly ranges: Ranges,
    material: THREE.Material,
    /** Whether it only throws its shadow and is not seen. */
    private readonly unseen = false,
  ) {
    super(batch.geometry, material);
    const n = ranges.starts.length;
    const side = Math.max(1, Math.ceil(Math.sqrt(n)));
    this._multiDrawStarts = new Int32Array(n);
    this._multiDrawCounts = new Int32Array(n);
    this.ids = new Uint32Array(side * side);
    this._indirectTexture = new THREE.DataTexture(this.ids, side, side, THREE.RedIntegerFormat, THREE.UnsignedIntType);
    this.frustumCulled = false;
    this.matrixAutoUpdate = false;
    this.visible = false;
  }

  get _matricesTexture(): THREE.DataTexture {
    return (this.batch as unknown as Held)._matricesTexture;
  }
  get _colorsTexture(): THREE.DataTexture | null {
    return (this.batch as unknown as Held)._colorsTexture;
  }

  /** Begins the list anew. */
  begin(): void {
    this.other = false;
    this.length = 0;
  }
  put(id: number): void {
    const i = this.length++;
    if (this.ids[i] === id && this._multiDrawCounts[i] !== 0) return;
    this.ids[i] = id;
    this._multiDrawStarts[i] = nth(this.ranges.starts, id);
    this._multiDrawCounts[i] = nth(this.ranges.counts, id);
    this.other = true;
  }
  /** Ends the list; one with nothing in it is not drawn. */
  end(): void {
    this.visible = this.length > 0;
    if (this.other) this._indirectTexture.needsUpdate = true;
  }

  override onBeforeRender(): void {
    this._multiDrawCount = this.unseen ? 0 : this.length;
  }
  override onBeforeShadow(): void {
    this._multiDrawCount = this.length;
  }

  override dispose(): void {
    super.dispose();
    this._indirectTexture.dispose();
  }
}
