import { Document, NodeIO } from "@gltf-transform/core";
import { demoPreparation } from "../../../demo/preparation";
import { demoSequences } from "../../../demo/sequences";
import { indexAssembly } from "../../core/assembly/assembly";
import { encodePackage } from "../../core/assembly/package";
import { preparedAssembly } from "../../core/assembly/prepared";
import { lookNow } from "../../core/edit/preparationCommands";
import { nth } from "../../core/math/packed";
import { compile } from "../../core/program/compile";
import { writeScene } from "../../formats/out/scene/write";
import { inBrowser } from "./browser";
import { type Measurement, median } from "./measurement";
import { demoPackage } from "./proof";

async function demo() {
  const pkg = await demoPackage();
  const preparation = demoPreparation(indexAssembly(pkg.assembly));
  const index = indexAssembly(preparedAssembly(pkg.assembly, preparation));
  const [fresh, pump] = demoSequences(index, preparation);
  if (!fresh || !pump) throw new Error("The demo has two sequences.");
  return { pkg: { ...pkg, assembly: index.assembly }, bytes: encodePackage(pkg), preparation, index, fresh, pump };
}

/** A video frame by frame against a bare loop of the same draws into the same encoder; see bench/video.page.ts. */
export async function measureVideo(): Promise<Measurement[]> {
  const { bytes, preparation, index, pump } = await demo();
  const program = compile(index, preparation, pump);
  // In the middle of the longest action all that belongs to the crank moves.
  const lengths = program.steps.ids.map((_, i) => nth(program.steps.still, i) - nth(program.steps.action, i));
  const longest = lengths.indexOf(Math.max(...lengths));
  const from = nth(program.steps.action, longest) + 0.3 * nth(lengths, longest);
  const job = JSON.stringify({ assembly: index.assembly, preparation, sequence: pump, from });
  const r = await inBrowser<Record<string, { ours: number; bare: number }>>("bench/video.page.ts", {
    files: { "/package": bytes, "/job": new TextEncoder().encode(job) },
  });
  return Object.entries(r).map(([name, v]) => ({
    ...{ name, ours: v.ours, reference: v.bare, ratio: v.ours / v.bare, unit: "ms a frame" },
    note: name === "video-quick" ? "320 x 180 in plain light against 1280 x 720" : "320 x 180, the demo's pump at work",
  }));
}

/** The demo as a GLB with all its motion, against writing the same meshes and tree without motion. */
export async function measureScene(): Promise<Measurement[]> {
  const { pkg, preparation, index, fresh } = await demo();
  const program = compile(index, preparation, fresh);
  const ours: number[] = [];
  const reference: number[] = [];
  let size = 0;
  for (let i = 0; i < 4; i++) {
    const start = performance.now();
    const range = { from: 0, to: program.steps.length };
    const going = writeScene(pkg, program, lookNow(preparation), range, { visibility: "extension", steps: true });
    for (;;) {
      const next = going.next();
      if (!next.done) continue;
      size = next.value.bytes.byteLength;
      break;
    }
    const middle = performance.now();
    await bare(pkg);
    if (i === 0) continue;
    ours.push(middle - start);
    reference.push(performance.now() - middle);
  }
  const [o, r] = [median(ours), median(reference)];
  return [
    {
      ...{ name: "scene", ours: o, reference: r, ratio: o / r, unit: "ms" },
      note: `${(size / 1e6).toFixed(2)} MB, ${program.steps.ids.length} steps, 57 s of motion`,
    },
  ];
}

/** The same tree and meshes by @gltf-transform/core. */
async function bare({ assembly, geometries }: Awaited<ReturnType<typeof demo>>["pkg"]): Promise<void> {
  const doc = new Document();
  const buffer = doc.createBuffer();
  const material = doc.createMaterial();
  const meshes = geometries.map((g) => {
    const put = (type: "VEC3" | "SCALAR", array: Float32Array | Uint32Array) =>
      doc.createAccessor().setType(type).setArray(array).setBuffer(buffer);
    const primitive = doc
      .createPrimitive()
      .setAttribute("POSITION", put("VEC3", g.positions))
      .setAttribute("NORMAL", put("VEC3", g.normals))
      .setIndices(put("SCALAR", g.indices))
      .setMaterial(material);
    return doc.createMesh().addPrimitive(primitive);
  });
  const scene = doc.createScene();
  const nodes = assembly.nodes.map((n) => doc.createNode(n.name).setMesh(meshes[n.geometry] ?? null));
  assembly.nodes.forEach((n, i) => {
    const node = nodes[i];
    if (!node) return;
    const above = nodes[n.parent];
    if (above) above.addChild(node);
    else scene.addChild(node);
  });
  await new NodeIO().writeBinary(doc);
}
