import * as THREE from "three";
import { expect, test } from "vitest";
import { boxPackage } from "../../tests/support/boxes";
import { batch, bodyGeometry } from "./batch";
import { BatchList, rangesOf } from "./batchList";

const pkg = boxPackage("kit", [
  { name: "a", at: [0, 0, 0], size: [1, 2, 3] },
  { name: "b", at: [5, 0, 0], size: [4, 5, 6] },
  { name: "c", at: [9, 0, 0], size: [1, 2, 3] },
]);
const shapes = [...pkg.geometries.map(bodyGeometry), null];
// The last one has no shape.
const parts = [...pkg.assembly.nodes.filter((n) => n.kind === "part"), { geometry: shapes.length - 1 }];
const material = new THREE.MeshBasicMaterial();
interface Drawn {
  _multiDrawStarts: Int32Array;
  _multiDrawCounts: Int32Array;
  _multiDrawCount: number;
}
const make = (unseen = false) => {
  const whole = batch(parts, shapes, material);
  return { whole, list: new BatchList(whole, rangesOf(whole), material, unseen) };
};

test("a list draws of each instance what the batch draws of it, in the order listed", () => {
  const { whole, list } = make();
  const none = {} as never;
  whole.onBeforeRender(none, none, new THREE.PerspectiveCamera(), whole.geometry, material, none);
  const all = whole as unknown as Drawn;
  expect(all._multiDrawCount).toBe(parts.length);
  list.begin();
  for (const id of [2, 0, 1]) list.put(id);
  list.end();
  list.onBeforeRender();
  expect(list._multiDrawCount).toBe(3);
  for (const [k, id] of [2, 0, 1].entries()) {
    expect(list._multiDrawStarts[k]).toBe(all._multiDrawStarts[id]);
    expect(list._multiDrawCounts[k]).toBe(all._multiDrawCounts[id]);
  }
  expect(all._multiDrawStarts[1]).toBeGreaterThan(0);
  // What has no shape and the instance kept for it have no area.
  const position = whole.geometry.getAttribute("position");
  const index = whole.geometry.getIndex() as THREE.BufferAttribute;
  const ranges = rangesOf(whole);
  for (const id of [3, 4]) {
    const first = (ranges.starts[id] as number) / index.array.BYTES_PER_ELEMENT;
    for (let i = first; i < first + (ranges.counts[id] as number); i++)
      expect(new THREE.Vector3().fromBufferAttribute(position, index.getX(i)).length()).toBe(0);
  }
});

test("a list is sent when it changed, and is not drawn when nothing is in it", () => {
  const { whole, list } = make();
  const sent = () => list._indirectTexture.version;
  const say = (...ids: number[]) => {
    list.begin();
    for (const id of ids) list.put(id);
    list.end();
  };
  expect(list.visible).toBe(false);
  say(0, 1);
  expect([list.visible, sent()]).toEqual([true, 1]);
  say(0, 1);
  expect(sent()).toBe(1);
  say(0, 2);
  expect([sent(), [...list.ids.subarray(0, 2)]]).toEqual([2, [0, 2]]);
  say(0);
  list.onBeforeRender();
  expect([list.visible, list._multiDrawCount]).toEqual([true, 1]);
  say();
  expect(list.visible).toBe(false);
  // Transforms and colours are the batch's own.
  whole.setColorAt(1, new THREE.Vector4(1, 0, 0, 0.5));
  const own = whole as unknown as { _matricesTexture: unknown; _colorsTexture: unknown };
  expect([list._matricesTexture, list._colorsTexture]).toEqual([own._matricesTexture, own._colorsTexture]);
  expect(list._colorsTexture).not.toBeNull();
});

test("what only throws its shadow is drawn for the shadow alone", () => {
  const { list } = make(true);
  list.begin();
  list.put(1);
  list.end();
  list.onBeforeShadow();
  expect(list._multiDrawCount).toBe(1);
  list.onBeforeRender();
  expect(list._multiDrawCount).toBe(0);
});
