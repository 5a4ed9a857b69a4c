import * as THREE from "three";
import { EffectComposer } from "three/examples/jsm/postprocessing/EffectComposer.js";
import { GTAOPass } from "three/examples/jsm/postprocessing/GTAOPass.js";
import { OutputPass } from "three/examples/jsm/postprocessing/OutputPass.js";
import { RenderPass } from "three/examples/jsm/postprocessing/RenderPass.js";
import type { AssemblyScene } from "./assemblyScene";
import type { Surroundings } from "./surroundings";

const _size = new THREE.Vector2();

/**
 * Draws a picture of the assembly in its surroundings: straight where nothing else is asked for, by way of an ambient
 * occlusion pass where the look has one. The same for desk, stills and published frames.
 */
export class Painter {
  private composer: {
    it: EffectComposer;
    render: RenderPass;
    occlusion: GTAOPass;
    width: number;
    height: number;
  } | null = null;

  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    private readonly assembly: AssemblyScene,
    private readonly surroundings: Surroundings,
    /** Size of the assembly, mm: corners darken within a share of it. */
    private readonly radius: number,
  ) {}

  /**
   * Draws through a camera onto the renderer's canvas. `quick` leaves out what takes long, for dragging and working.
   */
  draw(camera: THREE.Camera, quick: boolean): void {
    const { occlusion, edges } = this.surroundings.current;
    const size = this.renderer.getDrawingBufferSize(_size);
    this.assembly.prepare(camera);
    this.assembly.setEdges(edges.on || quick);
    this.assembly.fitLines(size.x, size.y, edges.on ? edges.weight : 1);
    const straight = occlusion <= 0.001 || quick;
    this.surroundings.prepare(camera, !straight);
    if (straight) {
      this.renderer.render(this.assembly.scene, camera);
      return;
    }
    const c = this.composerFor(size.x, size.y, camera);
    c.render.camera = camera;
    c.occlusion.camera = camera;
    c.occlusion.blendIntensity = occlusion;
    c.it.render();
  }

  private composerFor(width: number, height: number, camera: THREE.Camera): NonNullable<Painter["composer"]> {
    if (!this.composer) {
      const target = new THREE.WebGLRenderTarget(width, height, { type: THREE.HalfFloatType, samples: 4 });
      const it = new EffectComposer(this.renderer, target);
      it.setPixelRatio(1);
      const render = new RenderPass(this.assembly.scene, camera);
      const occlusion = new GTAOPass(this.assembly.scene, camera, width, height);
      occlusion.updateGtaoMaterial({
        radius: this.radius * 0.07,
        distanceExponent: 1.4,
        thickness: this.radius * 0.05,
        scale: 1.1,
        samples: 12,
        distanceFallOff: 0.6,
        screenSpaceRadius: false,
      });
      occlusion.updatePdMaterial({ lumaPhi: 10, depthPhi: 2, normalPhi: 3, radius: 5, rings: 2, samples: 12 });
      it.addPass(render);
      it.addPass(occlusion);
      it.addPass(new OutputPass());
      this.composer = { it, render, occlusion, width, height };
      it.setSize(width, height);
    }
    const c = this.composer;
    if (c.width !== width || c.height !== height) {
      c.it.setSize(width, height);
      c.width = width;
      c.height = height;
    }
    return c;
  }

  dispose(): void {
    this.composer?.occlusion.dispose();
    this.composer?.it.dispose();
  }
}
