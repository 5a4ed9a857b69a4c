/** Works maps of light out, off the main thread. */
import type { LightSetup } from "../core/document/surroundings";
import { lightBytes } from "../core/light/keptLight";
import { Handed, host } from "./host";

const handlers = {
  async maps(lights: readonly LightSetup[]): Promise<Handed<Uint8Array[]>> {
    const maps = lights.map(lightBytes);
    return new Handed(
      maps,
      maps.map((m) => m.buffer as ArrayBuffer),
    );
  },
};
export type LightWorker = typeof handlers;

host(handlers);
