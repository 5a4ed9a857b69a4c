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
  const it = new Surroundings(new THREE.Scene(), renderer, "z");
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
