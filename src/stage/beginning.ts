import * as THREE from "three";
import type { AssemblyIndex } from "../core/assembly/assembly";
import type { AssemblyPackage } from "../core/assembly/package";
import type { Look } from "../core/document/looks";
import { AssemblyScene } from "./assemblyScene";
import { createRenderer } from "./picture";
import { Surroundings } from "./surroundings";

/** A picture that has begun: what is in it stands at home and wears its look, and is not drawn yet. */
export interface Beginning {
  renderer: THREE.WebGLRenderer;
  assembly: AssemblyScene;
  surroundings: Surroundings;
}

/**
 * Begins a picture before it is known what moves in it: the graphics make their programs ready meanwhile, which is most
 * of a first picture. @throws where the browser has no WebGL 2
 */
export function beginPicture(
  canvas: HTMLCanvasElement,
  pkg: AssemblyPackage,
  index: AssemblyIndex,
  look: Pick<Look, "nodes" | "surroundings">,
): Beginning {
  const renderer = createRenderer(canvas);
  const assembly = new AssemblyScene(pkg, index);
  const surroundings = new Surroundings(assembly, renderer, index.assembly.up);
  const { min, max } = assembly.worldBounds();
  surroundings.fit(min, max);
  assembly.setLooks(look.nodes);
  surroundings.set({ ...look.surroundings, occlusion: 0 });
  assembly.setEdges(look.surroundings.edges.on);
  surroundings.light();
  renderer.compile(assembly.scene, new THREE.PerspectiveCamera());
  renderer.getContext().flush();
  return { renderer, assembly, surroundings };
}
