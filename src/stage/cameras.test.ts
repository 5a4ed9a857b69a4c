import * as THREE from "three";
import { beforeEach, describe, expect, test } from "vitest";
import { CAMERA, cubePackage, key, preparation, sequenceOf, smallIndex } from "../../tests/support/assembly";
import { SURROUNDINGS_DEFAULT } from "../core/document/surroundings";
import { compile } from "../core/program/compile";
import { pose } from "../core/program/pose";
import { createPose } from "../core/program/sampling";
import type { AssemblyScene } from "./assemblyScene";
import { StageCameras, valuesOf } from "./cameras";
import { worldDirection, worldOf, worldPoint } from "./pointing";
import { SecondView } from "./secondView";
import type { CameraSite } from "./stagePort";
import type { Surroundings } from "./surroundings";
import { ViewControl } from "./viewControl";
import { Wardrobe } from "./wardrobe";

const index = smallIndex();
const film = sequenceOf([{ camera: [key("c", 1, 0.5, { azimuth: 80, distance: 300 })] }]);

/** Cameras of a stage of a size, at the end of the film; what they told the stage is noted. */
function stage(width = 1280, height = 720) {
  const program = compile(index, preparation(), film);
  const shown = createPose(program);
  pose(program, program.steps.length, shown);
  const told = { looked: 0, drawn: 0, updated: 0 };
  const site: CameraSite = {
    index,
    program,
    currentPose: shown,
    control: new ViewControl(CAMERA, "z"),
    width,
    height,
    centre: new THREE.Vector3(60, 0, 0),
    size: 100,
    events: { onLook: () => told.looked++ },
    update: () => told.updated++,
    invalidate: () => told.drawn++,
  };
  const cameras = new StageCameras(site);
  cameras.place();
  return { cameras, site, told };
}

describe("what the stage is seen through", () => {
  test("first the sequence's camera, with its own values", () => {
    const { cameras } = stage();
    expect(cameras.isThrough).toBe(true);
    expect(cameras.programValues()).toMatchObject({ azimuth: 80, distance: 300, lens: 50 });
    expect(cameras.keptView()).toEqual(cameras.programValues());
    expect(cameras.aspect).toBeCloseTo(16 / 9, 9);
  });
  test("a stage that is wider or taller than the picture shows all of it, in a frame in the middle", () => {
    expect(stage(1280, 720).cameras.pictureFrame()).toEqual({ left: 0, top: 0, width: 1280, height: 720 });
    expect(stage(1000, 1000).cameras.pictureFrame()).toMatchObject({
      left: 0,
      top: 218.75,
      width: 1000,
      height: 562.5,
    });
    const wide = stage(2000, 500).cameras;
    expect(wide.pictureFrame().height).toBe(500);
    expect(wide.pictureFrame().left).toBeCloseTo((2000 - (500 * 16) / 9) / 2, 6);
    // The picture's height is what it was: twice as much is seen across.
    const angle = (c: StageCameras) => c.perspective.fov;
    expect(angle(wide)).toBeCloseTo(angle(stage(1280, 720).cameras), 6);
  });
  test("looking around begins with what is seen, tells so once, and keeps what would show as much", () => {
    const { cameras, site, told } = stage(2000, 500);
    const view = cameras.leaveCamera();
    cameras.leaveCamera();
    expect([told.looked, cameras.isThrough, view.azimuth, view.distance]).toEqual([1, false, 80, 300]);
    expect(view.lens).toBeLessThan(50);
    expect(cameras.keptView().lens).toBeCloseTo(50, 6);
    expect(cameras.keptNumbers()).toHaveLength(8);
    site.control.view = { ...site.control.view, azimuth: 100 };
    cameras.setThrough(true);
    expect(cameras.keptView().azimuth).toBe(80);
  });
  test("without perspective what is far is as large as what is near", () => {
    const { cameras } = stage();
    cameras.setParallel(true);
    cameras.place();
    expect(cameras.current).toBeInstanceOf(THREE.OrthographicCamera);
    expect(cameras.mmPerPixel([0, 0, 0])).toBe(cameras.mmPerPixel([900, 900, 50]));
    cameras.setThrough(true);
    expect(cameras.current).toBe(cameras.perspective);
  });
  test("fits parts or everything, keeping the direction", () => {
    const { cameras, site, told } = stage();
    cameras.fit([]);
    const all = { ...site.control.view };
    expect([cameras.isThrough, all.azimuth, told.updated]).toEqual([false, 80, 1]);
    cameras.fit([index.indexOf.get("root/arm/a") as number]);
    expect(site.control.view.distance).toBeLessThan(all.distance);
    expect(site.control.view["aim.x"]).toBeCloseTo(100, 6);
    expect(site.control.view["aim.y"]).toBeCloseTo(20, 6);
    const before = { ...site.control.view };
    // A sub-assembly without geometry below it has no size to fit to.
    cameras.fit([-5]);
    expect(site.control.view).toEqual(before);
  });
  test("looks from a side by the nearer way, without a roll", () => {
    const { cameras, site } = stage();
    cameras.leaveCamera();
    site.control.view = { ...site.control.view, azimuth: 350, roll: 9 };
    cameras.lookFrom(0, 20);
    expect(site.control.view).toMatchObject({ azimuth: 360, elevation: 20, roll: 0 });
  });
  test("places on the screen and mm for each pixel agree", () => {
    const { cameras } = stage();
    const [a, b] = [cameras.toScreen([0, 0, 0]), cameras.toScreen([0, 0, 10])];
    if (!a || !b) throw new Error("behind");
    expect([a.x, a.y]).toEqual([expect.closeTo(640, 3), expect.closeTo(360, 3)]);
    expect(b.y).toBeLessThan(a.y);
    const level = Math.cos((20 * Math.PI) / 180);
    expect((10 * level) / cameras.mmPerPixel([0, 0, 5])).toBeCloseTo(a.y - b.y, 0);
    const eye = new THREE.Vector3().setFromMatrixPosition(cameras.perspective.matrixWorld);
    expect(cameras.toScreen(eye.multiplyScalar(3).toArray())).toBeNull();
  });
  test("square to a feature: a face from its front, an axis from the nearer side", () => {
    const { cameras, site } = stage();
    const node = index.indexOf.get("root/base") as number;
    const feature = { kind: "face", point: [0, 0, 5], direction: [0, 0, 1], radius: 0 } as never;
    cameras.lookSquare({ node, feature });
    expect(site.control.view.elevation).toBeCloseTo(90, 6);
    expect([site.control.view["aim.x"], site.control.view["aim.y"], site.control.view["aim.z"]]).toEqual([0, -40, 5]);
    cameras.lookSquare({ node, feature: { kind: "corner", point: [0, 0, 5], direction: null } as never });
    expect(site.control.view.elevation).toBeCloseTo(90, 6);
  });
});

describe("features where their parts stand", () => {
  test("are carried and turned by the part", () => {
    const { site } = stage();
    const node = index.indexOf.get("root/arm/a") as number;
    const at = { node, feature: { kind: "face", point: [0, 0, 5], direction: [1, 0, 0] } as never };
    expect(worldPoint(site.currentPose, at).toArray().map(Math.round)).toEqual([100, 20, 5]);
    // The arm stands turned by a quarter about the vertical.
    expect(worldDirection(site.currentPose, at)?.toArray().map(Math.round)).toEqual([0, 1, 0]);
    expect(
      worldDirection(site.currentPose, { node, feature: { point: [0, 0, 0], direction: null } as never }),
    ).toBeNull();
    expect(worldOf(site.currentPose, node).elements[12]).toBeCloseTo(100, 9);
    expect(valuesOf(Float64Array.from([1, 2, 3, 4, 5, 6, 7, 8]))).toMatchObject({ "aim.x": 1, azimuth: 4, lens: 8 });
    expect(() => valuesOf([1, 2])).toThrow(/was asked for/);
  });
});

test("a second view lies in the lower right, no larger than it may be, in the picture's shape", () => {
  const second = new SecondView();
  const place = { ...second.place(1200, 800, 1.6) };
  expect(place).toEqual({ left: 782, top: 535, width: 408, height: 255 });
  const low = second.place(1200, 300, 1.6);
  expect(low.height).toBeLessThanOrEqual(300 * 0.45);
  expect(low.width / low.height).toBeCloseTo(1.6, 1);
});

describe("what the scene wears", () => {
  const log: string[] = [];
  const assembly = {
    setLooks: (nodes: object) => log.push(`looks ${Object.keys(nodes)}`),
    setMirroring: (on: boolean) => log.push(`mirroring ${on}`),
  } as unknown as AssemblyScene;
  const surroundings = {
    set: (s: { light: string }, plain: boolean) => log.push(`light ${s.light} ${plain}`),
    moved: () => log.push("moved"),
  } as unknown as Surroundings;
  const evening = { ...SURROUNDINGS_DEFAULT, light: "evening" as const };
  let wardrobe: Wardrobe;
  beforeEach(() => {
    wardrobe = new Wardrobe(assembly, surroundings);
    log.length = 0;
  });

  test("what did not change costs nothing", () => {
    const nodes = { a: {} };
    wardrobe.setPrepared(nodes, evening);
    expect(log).toEqual(["looks a", "moved", "light evening false", "mirroring true", "moved"]);
    log.length = 0;
    wardrobe.setPrepared(nodes, evening);
    wardrobe.setTimed(null);
    expect(log).toEqual([]);
  });
  test("a look that a move puts on goes before what is prepared, until it is taken off", () => {
    const look = { id: "l", name: "L", nodes: { b: {} }, surroundings: SURROUNDINGS_DEFAULT, thumbnail: null };
    wardrobe.setPrepared({ a: {} }, evening);
    log.length = 0;
    wardrobe.setTimed(look as never);
    wardrobe.setTimed(look as never);
    expect(log.slice(0, 3)).toEqual(["looks b", "moved", `light ${SURROUNDINGS_DEFAULT.light} false`]);
    log.length = 0;
    wardrobe.setTimed(null);
    expect(log[0]).toBe("looks a");
  });
  test("in working light what is prepared is kept for what is published", () => {
    wardrobe.setWorking(true);
    expect([wardrobe.working, log]).toEqual([true, ["light bench true", "mirroring false", "moved"]]);
    log.length = 0;
    wardrobe.setPrepared({}, evening);
    expect(log.some((l) => l.startsWith("light"))).toBe(false);
    wardrobe.asPublished(() => log.push("drawn"));
    expect(log.filter((l) => /light|drawn/.test(l))).toEqual(["light evening false", "drawn", "light bench true"]);
    log.length = 0;
    wardrobe.setWorking(false);
    expect(log[0]).toBe("light evening false");
    wardrobe.asPublished(() => log.push("drawn"));
    expect(log.at(-1)).toBe("drawn");
  });
});

test("the small assembly's package has a shape for what is pointed at", () => {
  expect(cubePackage().geometries[0]?.indices.length).toBe(36);
});
