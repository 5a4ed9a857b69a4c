import * as THREE from "three";

const VERTEX =
  "in vec3 position; out vec2 at; void main() { at = position.xy * 0.5 + 0.5; gl_Position = vec4(position.xy, 0.0, 1.0); }";
/** Light is added as light: sRGB is taken back before (IEC 61966-2-1), and put on again at the end. */
const ADD = `precision highp float; in vec2 at; uniform sampler2D picture; uniform float share; out vec4 result;
void main() {
  vec4 c = texture(picture, at);
  vec3 light = mix(c.rgb / 12.92, pow((c.rgb + 0.055) / 1.055, vec3(2.4)), step(vec3(0.04045), c.rgb));
  result = vec4(light, c.a) * share;
}`;
const SHOW = `precision highp float; in vec2 at; uniform sampler2D picture; out vec4 result;
void main() {
  vec4 c = texture(picture, at);
  vec3 light = max(c.rgb, vec3(0.0));
  result = vec4(mix(light * 12.92, 1.055 * pow(light, vec3(1.0 / 2.4)) - 0.055, step(vec3(0.0031308), light)), c.a);
}`;

/**
 * Lays pictures of moments over one another, in light and in half floats: rounded only once, at the end. The pictures
 * are those that stand on the renderer's canvas.
 */
export class MotionBlur {
  private readonly sum: THREE.WebGLRenderTarget;
  private readonly copy: THREE.FramebufferTexture;
  private readonly scene = new THREE.Scene();
  private readonly camera = new THREE.Camera();
  private readonly quad: THREE.Mesh<THREE.BufferGeometry, THREE.RawShaderMaterial>;
  private readonly adding: THREE.RawShaderMaterial;
  private readonly showing: THREE.RawShaderMaterial;
  private count = 0;

  constructor(
    private readonly renderer: THREE.WebGLRenderer,
    width: number,
    height: number,
  ) {
    this.sum = new THREE.WebGLRenderTarget(width, height, { type: THREE.HalfFloatType, depthBuffer: false });
    this.copy = new THREE.FramebufferTexture(width, height);
    const common = { vertexShader: VERTEX, glslVersion: THREE.GLSL3, depthTest: false, depthWrite: false };
    this.adding = new THREE.RawShaderMaterial({
      ...{ ...common, fragmentShader: ADD, uniforms: { picture: { value: this.copy }, share: { value: 1 } } },
      ...{ blending: THREE.CustomBlending, blendSrc: THREE.OneFactor, blendDst: THREE.OneFactor, transparent: true },
    });
    this.showing = new THREE.RawShaderMaterial({
      ...{ ...common, fragmentShader: SHOW, uniforms: { picture: { value: this.sum.texture } } },
      blending: THREE.NoBlending,
    });
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.Float32BufferAttribute([-1, -1, 0, 3, -1, 0, -1, 3, 0], 3));
    this.quad = new THREE.Mesh(geometry, this.adding);
    this.quad.frustumCulled = false;
    this.scene.add(this.quad);
  }

  /** @param samples that will be added, each with the same share */
  begin(samples: number): void {
    this.count = 0;
    this.adding.uniforms.share = { value: 1 / samples };
  }

  /** Takes the picture that stands on the canvas in. */
  add(): void {
    this.count++;
    this.renderer.copyFramebufferToTexture(this.copy);
    this.pass(this.adding, this.sum, this.count === 1);
  }

  /** Puts what was taken in onto the canvas. */
  finish(): void {
    this.showing.uniforms.picture = { value: this.sum.texture };
    this.pass(this.showing, null, false);
  }

  private pass(material: THREE.RawShaderMaterial, target: THREE.WebGLRenderTarget | null, clear: boolean): void {
    const { renderer } = this;
    const { autoClear } = renderer;
    const shadows = renderer.shadowMap.needsUpdate;
    renderer.autoClear = false;
    renderer.setRenderTarget(target);
    if (clear) {
      const alpha = renderer.getClearAlpha();
      const colour = renderer.getClearColor(new THREE.Color());
      renderer.setClearColor(0x000000, 0);
      renderer.clear(true, false, false);
      renderer.setClearColor(colour, alpha);
    }
    this.quad.material = material;
    renderer.render(this.scene, this.camera);
    renderer.setRenderTarget(null);
    renderer.autoClear = autoClear;
    renderer.shadowMap.needsUpdate = shadows;
  }

  dispose(): void {
    this.sum.dispose();
    this.copy.dispose();
    this.quad.geometry.dispose();
    this.adding.dispose();
    this.showing.dispose();
  }
}
