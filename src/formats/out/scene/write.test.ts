import { validateBytes } from "gltf-validator";
import { MeshoptDecoder, MeshoptEncoder } from "meshoptimizer";
import { AnimationMixer, type Object3D, Vector3 } from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { describe, expect, test } from "vitest";
import { cubePackage, key, preparation, seconds, sequenceOf } from "../../../../tests/support/assembly";
import { madeUpFilm } from "../../../../tests/support/films";
import { richFilm, richPreparation } from "../../../../tests/support/richFilm";
import { indexAssembly } from "../../../core/assembly/assembly";
import type { Preparation } from "../../../core/document/preparation";
import type { Sequence } from "../../../core/document/sequence";
import { lookNow } from "../../../core/edit/preparationCommands";
import type { Geometry } from "../../../core/geometry/geometry";
import { nth } from "../../../core/math/packed";
import { compile } from "../../../core/program/compile";
import { pose } from "../../../core/program/pose";
import { createPose } from "../../../core/program/sampling";
import { TICKS_PER_SECOND } from "../../../core/time/time";
import { type SceneOptions, type SceneReport, writeScene } from "./write";

const pkg = cubePackage();
const index = indexAssembly(pkg.assembly);

function written(sequence: Sequence, prepared: Preparation, options: Partial<SceneOptions> = {}) {
  const program = compile(index, prepared, sequence);
  const range = { from: 0, to: program.steps.length };
  const going = writeScene(pkg, program, lookNow(prepared), range, {
    visibility: "extension",
    steps: true,
    ...options,
  });
  let share = 0;
  for (;;) {
    const next = going.next();
    if (next.done) return { program, report: next.value as SceneReport };
    expect(next.value).toBeGreaterThanOrEqual(share);
    share = next.value;
  }
}
/** A made-up shape with normals that point away from its middle. */
const withNormals = (g: Geometry): Geometry => ({
  ...g,
  normals: Float32Array.from(g.positions, (v, i) => {
    const at = g.positions.subarray(i - (i % 3), i - (i % 3) + 3);
    return v / (Math.hypot(...at) || 1);
  }),
});

/** The film without what no place, turn and size can say. */
function unsheared(): Sequence {
  const film = richFilm();
  for (const step of Object.values(film.steps))
    for (const move of Object.values(step.moves)) {
      if (move.kind === "stretch") delete step.moves[move.id];
      if (move.kind !== "hand") continue;
      for (const k of Object.values(move.keys))
        k.values = Object.fromEntries(Object.entries(k.values).filter(([c]) => !c.startsWith("size.")));
    }
  return film;
}
async function complaints(bytes: Uint8Array) {
  const found = (await validateBytes(bytes, { maxIssues: 200 })) as { issues: { messages: { severity: number }[] } };
  return found.issues.messages.filter((m) => m.severity < 2);
}
const json = (bytes: Uint8Array) => {
  const length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(12, true);
  return JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + length)));
};

/** Triangles may begin at another of their corners when they are packed: the same ones, as they were read. */
function turned(raw: Uint8Array, read: Uint8Array, stride: number): Uint8Array {
  const of = (b: Uint8Array) => (stride === 4 ? new Uint32Array(b.slice().buffer) : new Uint16Array(b.slice().buffer));
  const [a, z] = [of(raw), of(read)];
  for (let t = 0; t < a.length; t += 3) {
    const same = [0, 1, 2].some((r) => [0, 1, 2].every((k) => a[t + ((k + r) % 3)] === z[t + k]));
    if (!same) return raw;
  }
  return read;
}

describe("a scene with motion", () => {
  test("of all that moves is without a fault, and says how exact it is", async () => {
    const { report, program } = written(unsheared(), richPreparation);
    expect(await complaints(report.bytes)).toEqual([]);
    expect(report.off).toBeLessThan(0.02);
    expect(report.sheared).toEqual([]);
    const { animations, nodes } = json(report.bytes);
    expect(animations.map((a: { name: string }) => a.name)).toEqual([
      "All of it",
      ...program.steps.ids.map((id, i) => `${i + 1} ${program.sequence.steps[id]?.title}`.trim()),
    ]);
    expect(report.animations).toBe(animations.length);
    // What stands nowhere else says nothing of it.
    expect(nodes[0]).not.toHaveProperty("translation");
    expect(nodes.filter((n: { translation?: number[] }) => n.translation?.every((v) => v === 0))).toEqual([]);
    expect(nodes).toHaveLength(index.parent.length + 4);
  });
  test.each([1, 2, 3, 4])(
    "of film %i made up by chance is without a fault, packed or not, and as exact as it says",
    async (seed) => {
      const { index, geometries, preparation, sequence } = madeUpFilm(seed);
      const program = compile(index, preparation, sequence);
      const pkg = { assembly: index.assembly, geometries: geometries.map(withNormals) };
      for (const packed of [false, true]) {
        const going = writeScene(
          pkg,
          program,
          lookNow(preparation),
          { from: 0, to: program.steps.length },
          {
            ...{ visibility: packed ? "plain" : "extension", steps: true, packed },
          },
        );
        let next = going.next();
        while (!next.done) next = going.next();
        const report = next.value;
        expect(await complaints(report.bytes)).toEqual([]);
        const made = json(report.bytes);
        expect(made.animations).toHaveLength(1 + program.steps.ids.length);
        expect(made.nodes.filter((n: { camera?: number }) => n.camera !== undefined).length).toBeGreaterThan(0);
      }
    },
  );
  test("is plain for those who know nothing of visibility, and without steps where they are not asked for", async () => {
    const { report } = written(unsheared(), richPreparation, { visibility: "plain", steps: false });
    expect(await complaints(report.bytes)).toEqual([]);
    const made = json(report.bytes);
    expect(made.extensionsUsed).not.toContain("KHR_node_visibility");
    expect(made.animations).toHaveLength(1);
  });
  test("packed it holds exactly the same numbers, in fewer bytes", async () => {
    await Promise.all([MeshoptEncoder.ready, MeshoptDecoder.ready]);
    const plain = written(unsheared(), richPreparation).report.bytes;
    const packed = written(unsheared(), richPreparation, {
      pack: (bytes, count, stride, mode) => MeshoptEncoder.encodeGltfBuffer(bytes, count, stride, mode),
    }).report.bytes;
    expect(packed.length).toBeLessThan(plain.length);
    const binOf = (bytes: Uint8Array) => {
      const length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(12, true);
      return bytes.subarray(28 + length);
    };
    const [one, other] = [json(plain), json(packed)];
    expect(other.extensionsRequired).toEqual(["EXT_meshopt_compression"]);
    expect({ ...other.accessors }).toEqual({ ...one.accessors });
    let count = 0;
    for (const [i, view] of other.bufferViews.entries()) {
      const was = one.bufferViews[i];
      const raw = binOf(plain).slice(was.byteOffset, was.byteOffset + was.byteLength);
      const how = view.extensions?.EXT_meshopt_compression;
      if (how) count++;
      const read = how
        ? new Uint8Array(how.count * how.byteStride)
        : binOf(packed).slice(view.byteOffset, view.byteOffset + view.byteLength);
      if (how)
        MeshoptDecoder.decodeGltfBuffer(
          read,
          ...([how.count, how.byteStride] as const),
          binOf(packed).slice(how.byteOffset, how.byteOffset + how.byteLength),
          how.mode,
        );
      expect(read).toEqual(how?.mode === "TRIANGLES" ? turned(raw, read, how.byteStride) : raw);
    }
    expect(count).toBeGreaterThan(0);
    expect((await complaints(packed)).filter((m) => m.severity === 0)).toEqual([]);
  });
  test("names what is stretched across its turn, and by how much it is off", () => {
    const { report } = written(richFilm(), richPreparation);
    expect(report.sheared.length).toBeGreaterThan(0);
    for (const s of report.sheared) expect(s.off).toBeGreaterThan(0.1);
  });
  test.each([
    ["of many things", unsheared(), richPreparation],
    [
      "of seven turns, a fade and a jump",
      sequenceOf([
        {
          "root/arm": [key("a", 1, 1, { "turn.z": 2520 }), key("b", 2, 0, { "slide.y": 40 })],
          "root/base": [key("c", 1, 0.5, { opacity: 0.2 })],
        },
        { "root/arm": [key("d", 1, 0.8, { "slide.y": 0 })] },
      ]),
      preparation(),
    ],
  ])("%s: three's own loader and mixer play back the same", async (_, sequence, prepared) => {
    const { report, program } = written(sequence, prepared);
    const gltf = await new GLTFLoader().parseAsync(report.bytes.buffer as ArrayBuffer, "");
    const mixer = new AnimationMixer(gltf.scene);
    const [all] = gltf.animations;
    if (!all) throw new Error("no animation");
    // What is said by pointers three leaves out.
    mixer.clipAction(all).play();
    const byKey = new Map<string, Object3D>();
    gltf.scene.traverse((o) => o.userData.key !== undefined && byKey.set(o.userData.key, o));
    expect(byKey.size).toBe(index.parent.length);
    const at = createPose(program);
    let worst = 0;
    const place = new Vector3();
    for (let i = 0; i < 1000; i++) {
      const ticks = ((i + 0.37) / 1000) * program.steps.length;
      // A jump takes a ten-thousandth of a second in a file.
      if (jumpsAt(program.steps.start, ticks) || jumpsAt([seconds(2.5)], ticks)) continue;
      mixer.setTime(ticks / TICKS_PER_SECOND);
      gltf.scene.updateMatrixWorld(true);
      pose(program, ticks, at);
      index.assembly.nodes.forEach((node, n) => {
        const o = byKey.get(node.key);
        o?.getWorldPosition(place);
        // From metres and Y up to mm as the film has it.
        const mine = index.assembly.up === "z" ? [place.x, -place.z, place.y] : [place.x, place.y, place.z];
        for (let k = 0; k < 3; k++)
          worst = Math.max(worst, Math.abs(1000 * nth(mine, k) - nth(at.world, 16 * n + 12 + k)));
      });
    }
    expect(worst).toBeLessThan(0.02);
  });
});
const jumpsAt = (times: ArrayLike<number>, ticks: number) =>
  Array.from(times).some((t) => Math.abs(t - ticks) < 2e-4 * TICKS_PER_SECOND);
