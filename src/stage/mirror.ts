import * as THREE from "three";

/** Turns a picture over, left for right. */
const OVER = new THREE.Matrix4().makeScale(-1, 1, 1);

const NOTHING = new THREE.Color(0);
const _plane = new THREE.Plane();

/** A target that three.js may draw into as onto the canvas; the word for it is its own, from where it needs that itself. */
type FinishedTarget = THREE.WebGLRenderTarget & { isXRRenderTarget: boolean };
/**
 * Makes a target be drawn into by the very programs that draw onto the canvas, tone and colours included. Others would
 * be made for each material, which takes longer than all the rest of the first picture where there is no graphics card.
 */
const finishing = (target: THREE.WebGLRenderTarget): FinishedTarget =>
  Object.assign(target, { isXRRenderTarget: true });

/** Sides of the mirrored picture, px. */
const MOST_PX = 512;
const LEAST_PX = 64;

/**
 * A faint reflection on the ground: the scene is drawn mirrored into a texture and laid on a plane, fading outwards.
 */
export class Mirror {
  readonly plane: THREE.Mesh<THREE.PlaneGeometry, THREE.ShaderMaterial>;
  private readonly target = finishing(
    new THREE.WebGLRenderTarget(MOST_PX, MOST_PX, {
      ...{ type: THREE.HalfFloatType, samples: 2, colorSpace: THREE.SRGBColorSpace },
    }),
  );
  private readonly camera = new THREE.PerspectiveCamera();
  private readonly turn = new THREE.Matrix4();
  private readonly clip = new THREE.Plane();
  private readonly cut = new THREE.Vector4();
  private readonly corner = new THREE.Vector4();
  private readonly seen: boolean[] = [];
  private readonly clear = new THREE.Color();
  private readonly normal = new THREE.Vector3(0, 0, 1);
  private readonly point = new THREE.Vector3();
  private readonly size = new THREE.Vector2();
  private readonly eye = new THREE.Vector3();

  constructor() {
    this.plane = new THREE.Mesh(
      new THREE.PlaneGeometry(1, 1),
      new THREE.ShaderMaterial({
        vertexShader: `uniform mat4 toPicture; varying vec4 vAt; varying vec2 vUv;
void main() { vUv = uv; vec4 p = modelMatrix * vec4( position, 1.0 ); vAt = toPicture * p; gl_Position = projectionMatrix * viewMatrix * p; }`,
        fragmentShader: `uniform sampler2D picture; uniform float strength; uniform bool finished; varying vec4 vAt; varying vec2 vUv;
void main() {
  vec4 c = texture2D( picture, vAt.xy / vAt.w );
  float fade = 1.0 - smoothstep( 0.02, 0.09, distance( vUv, vec2( 0.5 ) ) );
  gl_FragColor = vec4( c.rgb / max( c.a, 1e-3 ), c.a * strength * fade );
  if ( ! finished ) {
    #include <tonemapping_fragment>
    #include <colorspace_fragment>
  }
}`,
        transparent: true,
        depthWrite: false,
        uniforms: {
          picture: { value: this.target.texture },
          strength: { value: 0 },
          finished: { value: true },
          toPicture: { value: new THREE.Matrix4() },
        },
      }),
    );
    this.plane.matrixAutoUpdate = false;
    this.plane.frustumCulled = false;
    this.plane.renderOrder = -2;
    this.plane.visible = false;
  }

  setStrength(strength: number): void {
    (this.plane.material.uniforms.strength as { value: number }).value = strength;
    this.plane.visible = strength > 0;
  }

  /** Lays the mirror on the ground. */
  fit(ground: THREE.Matrix4, normal: THREE.Vector3, point: THREE.Vector3): void {
    this.plane.matrixWorld.copy(ground);
    this.normal.copy(normal);
    this.point.copy(point);
    const d = -2 * normal.dot(point);
    const { x, y, z } = normal;
    this.turn.set(
      1 - 2 * x * x,
      -2 * x * y,
      -2 * x * z,
      -d * x,
      -2 * x * y,
      1 - 2 * y * y,
      -2 * y * z,
      -d * y,
      -2 * x * z,
      -2 * y * z,
      1 - 2 * z * z,
      -d * z,
      0,
      0,
      0,
      1,
    );
    this.clip.setFromNormalAndCoplanarPoint(normal, point);
  }

  /** As fine as a soft reflection needs to be: half the picture, up to a limit. */
  private fitTarget(renderer: THREE.WebGLRenderer): void {
    const { x, y } = renderer.getDrawingBufferSize(this.size);
    const side = Math.min(MOST_PX, Math.max(LEAST_PX, Math.ceil(Math.max(x, y) / 2)));
    if (side !== this.target.width) this.target.setSize(side, side);
  }

  /**
   * Lets a picture begin at the ground in place of its near plane, so that what is below is cut off: after E. Lengyel,
   * "Oblique View Frustum Depth Projection and Clipping" (2005). Clipping planes would be another program for each
   * material.
   */
  private beginAtGround(projection: THREE.Matrix4, inverse: THREE.Matrix4, view: THREE.Matrix4): void {
    const { cut, corner } = this;
    const { normal, constant } = _plane.copy(this.clip).applyMatrix4(view);
    cut.set(normal.x, normal.y, normal.z, constant);
    corner.set(Math.sign(cut.x), Math.sign(cut.y), 1, 1).applyMatrix4(inverse);
    cut.multiplyScalar(2 / cut.dot(corner));
    const e = projection.elements;
    for (let k = 0; k < 4; k++) e[4 * k + 2] = cut.getComponent(k) - (e[4 * k + 3] as number);
  }

  /**
   * Draws the mirrored scene as `camera` sees it.
   * @param raw whether the picture that it is for is worked on before it is shown: it holds light then, not colours
   */
  update(
    renderer: THREE.WebGLRenderer,
    scene: THREE.Scene,
    camera: THREE.Camera,
    hide: readonly THREE.Object3D[],
    raw = false,
  ): void {
    // From below nothing of it is to be seen.
    if (!this.plane.visible || this.clip.distanceToPoint(this.eye.setFromMatrixPosition(camera.matrixWorld)) <= 0)
      return;
    this.fitTarget(renderer);
    this.target.isXRRenderTarget = !raw;
    (this.plane.material.uniforms.finished as { value: boolean }).value = !raw;
    const mirrored = this.camera;
    mirrored.matrixAutoUpdate = false;
    // The mirrored viewer, turned over once more so that triangles keep their sense; the picture is read back turned
    // over.
    mirrored.matrixWorld.multiplyMatrices(this.turn, camera.matrixWorld).multiply(OVER);
    mirrored.matrixWorldInverse.copy(mirrored.matrixWorld).invert();
    mirrored.projectionMatrix.copy(camera.projectionMatrix);
    this.beginAtGround(mirrored.projectionMatrix, camera.projectionMatrixInverse, mirrored.matrixWorldInverse);
    mirrored.projectionMatrixInverse.copy(mirrored.projectionMatrix).invert();
    const m = this.plane.material.uniforms.toPicture as { value: THREE.Matrix4 };
    m.value
      .set(0.5, 0, 0, 0.5, 0, 0.5, 0, 0.5, 0, 0, 0.5, 0.5, 0, 0, 0, 1)
      .multiply(mirrored.projectionMatrix)
      .multiply(mirrored.matrixWorldInverse);
    const { seen } = this;
    for (let i = 0; i < hide.length; i++) {
      const o = hide[i] as THREE.Object3D;
      seen[i] = o.visible;
      o.visible = false;
    }
    const background = scene.background;
    const shadows = renderer.shadowMap.needsUpdate;
    const clear = renderer.getClearColor(this.clear);
    const alpha = renderer.getClearAlpha();
    scene.background = null;
    renderer.shadowMap.needsUpdate = false;
    renderer.setClearColor(NOTHING, 0);
    renderer.setRenderTarget(this.target);
    renderer.render(scene, mirrored);
    renderer.setRenderTarget(null);
    renderer.setClearColor(clear, alpha);
    renderer.shadowMap.needsUpdate = shadows;
    scene.background = background;
    for (let i = 0; i < hide.length; i++) (hide[i] as THREE.Object3D).visible = seen[i] as boolean;
  }

  dispose(): void {
    this.target.dispose();
    this.plane.geometry.dispose();
    this.plane.material.dispose();
  }
}
