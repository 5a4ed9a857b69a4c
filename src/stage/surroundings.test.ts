import * as THREE from "three";
import { afterEach, expect, test, vi } from "vitest";
import { SURROUNDINGS_DEFAULT } from "../core/document/surroundings";
import { ContactShadow } from "./contactShadow";
import { Mirror } from "./mirror";
import { Surroundings } from "./surroundings";

afterEach(() => void vi.restoreAllMocks());

/** Surroundings of which is told what they draw beforehand: c for the contact shadow, m for the mirrored scene. */
function surroundings() {
  let told = "";
  vi.spyOn(ContactShadow.prototype, "update").mockImplementation(() => {
    told += "c";
  });
  vi.spyOn(Mirror.prototype, "update").mockImplementation((_renderer, _scene, _camera, _hide, raw) => {
    told += raw ? "r" : "m";
  });
  const renderer = { shadowMap: { needsUpdate: false } } as unknown as THREE.WebGLRenderer;
  const it = new Surroundings({ scene: new THREE.Scene(), lines: [], standing: () => {} }, renderer, "z");
  it.fit(new THREE.Vector3(-50, -50, 0), new THREE.Vector3(50, 50, 100));
  it.set({ ...SURROUNDINGS_DEFAULT, ground: "reflection" }, true);
  const camera = new THREE.PerspectiveCamera();
  /** What is drawn for a picture from somewhere. */
  const picture = (x = 0, raw?: boolean) => {
    told = "";
    camera.matrixWorld.setPosition(300 + x, 0, 200);
    it.prepare(camera, raw);
    return told;
  };
  return { it, picture };
}

test("standing still both are drawn, the contact shadow only where something has moved", () => {
  const { it, picture } = surroundings();
  expect(picture()).toBe("cm");
  expect(picture()).toBe("m");
  it.moved();
  expect(picture()).toBe("cm");
  it.moved(false);
  expect(picture()).toBe("m");
});

test("while pictures follow one another fast they take turns, and standing again nothing lags", () => {
  const { it, picture } = surroundings();
  picture();
  it.hurried = true;
  const told = Array.from({ length: 6 }, () => {
    it.moved();
    return picture(1);
  });
  expect(told.join(" ")).toMatch(/^(c m c m c m|m c m c m c)$/);
  it.moved();
  it.hurried = false;
  expect(picture(1)).toBe("cm");
});

test("after a cut, and where the look or the graphics are others, the reflection is drawn whoever's turn it is", () => {
  const { it, picture } = surroundings();
  picture();
  it.hurried = true;
  for (let i = 0; i < 4; i++) expect(picture(100 * i)).toContain("m");
  for (let i = 0; i < 4; i++) {
    it.set({ ...SURROUNDINGS_DEFAULT, ground: "reflection" }, true);
    expect(picture(400)).toContain("m");
  }
  for (let i = 0; i < 2; i++) {
    it.revive();
    expect(picture(400)).toContain("m");
  }
});

test("a picture that is worked on before it is shown mirrors light; from one kind to the other it waits for no turn", () => {
  const { it, picture } = surroundings();
  expect(picture(0, true)).toBe("cr");
  it.hurried = true;
  for (let i = 0; i < 4; i++) expect(picture(0, i % 2 === 1)).toContain(i % 2 === 1 ? "r" : "m");
});

test("the ground is laid where shadows lie, anew when parts or light move; what looks at all of it gets all", () => {
  vi.spyOn(ContactShadow.prototype, "update").mockImplementation(() => {});
  vi.spyOn(Mirror.prototype, "update").mockImplementation(() => {});
  const scene = new THREE.Scene();
  const renderer = { shadowMap: { needsUpdate: false } } as unknown as THREE.WebGLRenderer;
  const box = new THREE.Box3(new THREE.Vector3(-5, -5, 0), new THREE.Vector3(5, 5, 10));
  let asked = 0;
  const standing = (out: Float64Array) => {
    asked++;
    out.set([...box.min.toArray(), ...box.max.toArray()]);
  };
  const it = new Surroundings({ scene, lines: [], standing }, renderer, "z");
  it.fit(new THREE.Vector3(-50, -50, 0), new THREE.Vector3(50, 50, 100));
  it.set({ ...SURROUNDINGS_DEFAULT, ground: "shadow" }, true);
  const ground = scene.children.find((o) => (o as THREE.Mesh).material instanceof THREE.ShadowMaterial) as THREE.Mesh;
  const camera = new THREE.PerspectiveCamera();
  const laid = (raw = false) => {
    it.prepare(camera, raw);
    const { elements: e } = ground.matrixWorld;
    return { area: Math.hypot(e[0], e[1]) * Math.hypot(e[4], e[5]), x: e[12], y: e[13] };
  };
  const small = laid();
  expect(small.area).toBeLessThan(60 * 60);
  expect(small.area).toBeGreaterThan(10 * 10);
  laid();
  expect(asked).toBe(1);
  box.translate(new THREE.Vector3(20, 0, 0));
  it.moved(false);
  expect(laid().x).toBeCloseTo(small.x + 20, 6);
  it.set({ ...SURROUNDINGS_DEFAULT, ground: "shadow", key: { ...SURROUNDINGS_DEFAULT.key, elevation: 10 } }, true);
  expect(laid().area).toBeGreaterThan(1.5 * small.area);
  expect(laid(true).area).toBeGreaterThan(1000 * 1000);
  expect(laid().area).toBeLessThan(1000 * 1000);
  box.makeEmpty();
  it.moved();
  laid();
  expect(ground.visible).toBe(false);
  laid(true);
  expect(ground.visible).toBe(true);
});
