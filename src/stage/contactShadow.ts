import * as THREE from "three";

const SIZE = 384;
/** Between the samples that are blurred over, px: between two texels, so that each takes in both. */
const STEP = 1.33;
/** How high above the ground a part still darkens it, share of the radius of everything. */
export const CONTACT_REACH = 0.3;

const BLUR = /* glsl */ `
uniform sampler2D source;
uniform vec2 by;
varying vec2 vUv;
void main() {
  float sum = 0.0;
  float total = 0.0;
  for ( int i = -12; i <= 12; i ++ ) {
    float w = exp( - float( i * i ) / 36.0 );
    sum += w * texture2D( source, vUv + by * float( i ) ).r;
    total += w;
  }
  gl_FragColor = vec4( sum / total );
}
`;
const NEARNESS = /* glsl */ `
varying float vAbove;
void main() {
  float near = clamp( 1.0 - vAbove, 0.0, 1.0 );
  gl_FragColor = vec4( near * near );
}
`;
const NEARNESS_VERTEX = /* glsl */ `
#include <common>
#include <batching_pars_vertex>
uniform vec3 upward;
uniform float floorAt;
uniform float reach;
varying float vAbove;
void main() {
  #ifdef USE_BATCHING
    vec4 p = modelMatrix * getBatchingMatrix( getIndirectIndex( gl_DrawID ) ) * vec4( position, 1.0 );
  #else
    vec4 p = modelMatrix * vec4( position, 1.0 );
  #endif
  vAbove = ( dot( p.xyz, upward ) - floorAt ) / reach;
  gl_Position = projectionMatrix * viewMatrix * p;
}
`;

const NOTHING = new THREE.Color(0);

/**
 * The soft dark where parts come near the ground: the parts are drawn from below, darker the nearer they are, blurred
 * and laid on the ground. A lifted part loses it, which is how it reads as lifted.
 */
export class ContactShadow {
  readonly plane: THREE.Mesh<THREE.PlaneGeometry, THREE.ShaderMaterial>;
  private readonly camera = new THREE.OrthographicCamera();
  private readonly targets = [0, 1].map(
    () => new THREE.WebGLRenderTarget(SIZE, SIZE, { type: THREE.HalfFloatType, depthBuffer: false }),
  );
  private readonly nearness: THREE.ShaderMaterial;
  private readonly blur: THREE.ShaderMaterial;
  private readonly quad: THREE.Mesh;
  private readonly flat = new THREE.OrthographicCamera(-1, 1, 1, -1, 0, 1);

  constructor(private readonly up: "y" | "z") {
    this.nearness = new THREE.ShaderMaterial({
      vertexShader: NEARNESS_VERTEX,
      fragmentShader: NEARNESS,
      side: THREE.DoubleSide,
      blending: THREE.CustomBlending,
      blendEquation: THREE.MaxEquation,
      depthTest: false,
      depthWrite: false,
      uniforms: {
        upward: { value: new THREE.Vector3(0, up === "y" ? 1 : 0, up === "z" ? 1 : 0) },
        floorAt: { value: 0 },
        reach: { value: 1 },
      },
    });
    this.blur = new THREE.ShaderMaterial({
      vertexShader: "varying vec2 vUv; void main() { vUv = uv; gl_Position = vec4( position.xy, 0.0, 1.0 ); }",
      fragmentShader: BLUR,
      depthTest: false,
      depthWrite: false,
      uniforms: { source: { value: null }, by: { value: new THREE.Vector2() } },
    });
    this.quad = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.blur);
    this.quad.frustumCulled = false;
    const paint = new THREE.ShaderMaterial({
      vertexShader:
        "varying vec2 vUv; void main() { vUv = uv; gl_Position = projectionMatrix * viewMatrix * modelMatrix * vec4( position, 1.0 ); }",
      fragmentShader: `uniform sampler2D source; uniform float strength; varying vec2 vUv;
void main() { gl_FragColor = vec4( vec3( 0.10, 0.085, 0.06 ), strength * texture2D( source, vUv ).r );
#include <colorspace_fragment>
}`,
      transparent: true,
      depthWrite: false,
      uniforms: { source: { value: this.targets[0]?.texture }, strength: { value: 0 } },
    });
    this.plane = new THREE.Mesh(new THREE.PlaneGeometry(1, 1), paint);
    this.plane.matrixAutoUpdate = false;
    this.plane.frustumCulled = false;
    this.plane.renderOrder = -1;
  }

  /** Lays the shadow out under a box (world, mm). */
  fit(min: THREE.Vector3, max: THREE.Vector3): void {
    const centre = min.clone().add(max).multiplyScalar(0.5);
    const radius = Math.max(1, max.distanceTo(min) / 2);
    const half = radius * 1.35;
    const floor = this.up === "z" ? min.z : min.y;
    (this.nearness.uniforms.floorAt as { value: number }).value = floor;
    (this.nearness.uniforms.reach as { value: number }).value = radius * CONTACT_REACH;
    Object.assign(this.camera, { left: -half, right: half, top: half, bottom: -half, near: 0, far: radius * 0.4 });
    this.camera.updateProjectionMatrix();
    // From just under the ground, looking up; the picture's x is the ground's x, so the plane can show it as it is.
    const m = new THREE.Matrix4();
    if (this.up === "z") m.set(1, 0, 0, centre.x, 0, -1, 0, centre.y, 0, 0, -1, floor - radius * 0.02, 0, 0, 0, 1);
    else m.set(1, 0, 0, centre.x, 0, 0, -1, floor - radius * 0.02, 0, 1, 0, centre.z, 0, 0, 0, 1);
    this.camera.matrixAutoUpdate = false;
    this.camera.matrix.copy(m);
    this.camera.matrixWorld.copy(m);
    this.camera.matrixWorldInverse.copy(m).invert();
    const lift = radius * 0.0008;
    const p = this.plane.matrixWorld;
    // v of the picture runs against the ground's second direction.
    if (this.up === "z") p.set(2 * half, 0, 0, centre.x, 0, -2 * half, 0, centre.y, 0, 0, -1, floor + lift, 0, 0, 0, 1);
    else p.set(2 * half, 0, 0, centre.x, 0, 0, -1, floor + lift, 0, 2 * half, 0, centre.z, 0, 0, 0, 1);
    this.plane.material.side = THREE.DoubleSide;
  }

  private readonly seen: boolean[] = [];
  private readonly clear = new THREE.Color();

  setStrength(strength: number): void {
    (this.plane.material.uniforms.strength as { value: number }).value = strength;
    this.plane.visible = strength > 0.001;
  }

  /** Draws the shadow anew for how the parts stand now. */
  update(renderer: THREE.WebGLRenderer, scene: THREE.Scene, hide: readonly THREE.Object3D[]): void {
    if (!this.plane.visible) return;
    const [a, b] = this.targets as [THREE.WebGLRenderTarget, THREE.WebGLRenderTarget];
    const seen = this.seen;
    for (let i = 0; i < hide.length; i++) {
      const o = hide[i] as THREE.Object3D;
      seen[i] = o.visible;
      o.visible = false;
    }
    const background = scene.background;
    const clear = renderer.getClearColor(this.clear);
    const alpha = renderer.getClearAlpha();
    const shadows = renderer.shadowMap.needsUpdate;
    renderer.shadowMap.needsUpdate = false;
    scene.background = null;
    scene.overrideMaterial = this.nearness;
    renderer.setClearColor(NOTHING, 0);
    renderer.setRenderTarget(a);
    renderer.render(scene, this.camera);
    scene.overrideMaterial = null;
    scene.background = background;
    for (let i = 0; i < hide.length; i++) (hide[i] as THREE.Object3D).visible = seen[i] as boolean;
    const { source, by } = this.blur.uniforms as {
      source: { value: THREE.Texture | null };
      by: { value: THREE.Vector2 };
    };
    // Once across and once along: what covers a picture needs no clearing before it.
    const { autoClear } = renderer;
    renderer.autoClear = false;
    source.value = a.texture;
    by.value.set(STEP / SIZE, 0);
    renderer.setRenderTarget(b);
    renderer.render(this.quad, this.flat);
    source.value = b.texture;
    by.value.set(0, STEP / SIZE);
    renderer.setRenderTarget(a);
    renderer.render(this.quad, this.flat);
    renderer.autoClear = autoClear;
    renderer.setRenderTarget(null);
    renderer.setClearColor(clear, alpha);
    renderer.shadowMap.needsUpdate = shadows;
  }

  dispose(): void {
    for (const t of this.targets) t.dispose();
    this.nearness.dispose();
    this.blur.dispose();
    this.quad.geometry.dispose();
    this.plane.geometry.dispose();
    this.plane.material.dispose();
  }
}
