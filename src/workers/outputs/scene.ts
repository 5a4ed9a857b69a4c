import { lookNow } from "../../core/edit/preparationCommands";
import type { Pack } from "../../formats/out/scene/glb";
import { type SceneOptions, writeScene } from "../../formats/out/scene/write";
import { goOn, type Maker } from "./maker";

/** Worked at a stretch before a cancel is looked for, ms. */
const STRETCH_MS = 40;

/** Asked for only where it is needed: it compiles WebAssembly. */
async function packer(): Promise<Pack> {
  const { MeshoptEncoder } = await import("meshoptimizer");
  await MeshoptEncoder.ready;
  return (bytes, count, stride, mode) => MeshoptEncoder.encodeGltfBuffer(bytes, count, stride, mode);
}

/** The parts with their motion, as a GLB. */
export const makeScene: Maker<SceneOptions & { packed: boolean }> = async (s, c) => {
  const pack = s.packed ? await packer() : null;
  const going = writeScene(c.pkg, c.program, lookNow(c.preparation), c.range, { ...s, pack });
  let until = performance.now() + STRETCH_MS;
  for (;;) {
    const next = going.next();
    if (next.done) {
      const { bytes, animations, keys, off, sheared } = next.value;
      c.sink.write(0, bytes);
      const said = [
        `${animations} ${animations === 1 ? "animation" : "animations"}, ${keys.toLocaleString("en")} keys`,
        `at most ${off < 0.001 ? "0.001" : off.toFixed(3)} mm off at any moment`,
        ...sheared.map((p) => `${p.name} is stretched across its turn and up to ${p.off.toFixed(1)} mm off`),
      ];
      return { type: "model/gltf-binary", check: async () => said };
    }
    if (performance.now() < until) continue;
    c.tell(next.value, `${Math.round(100 * next.value)} % of the motion`);
    await new Promise((r) => setTimeout(r));
    goOn(c.signal);
    until = performance.now() + STRETCH_MS;
  }
};
