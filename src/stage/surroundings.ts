import * as THREE from "three";
import type { Up } from "../core/camera/camera";
import { type Surroundings as Settings, SURROUNDINGS_DEFAULT } from "../core/document/surroundings";
import { LIGHT_RIGS } from "../core/light/rigs";
import { shadeOnGround } from "../core/light/shade";
import type { Triple } from "../core/math/triple";
import { ContactShadow } from "./contactShadow";
import { lightTexture } from "./lightTexture";
import { Mirror } from "./mirror";

/** What stands in the surroundings. */
export interface Standing {
  readonly scene: THREE.Scene;
  /** What is too fine for soft shadows and a faint reflection. */
  readonly lines: readonly THREE.Object3D[];
  /** Tells the box of all that is in sight as it stands now, mm: least and greatest x, y, z; inverted for nothing. */
  standing(box: Float64Array): void;
}

/**
 * Light, ground and backdrop of a scene, as set. Built from code: nothing is downloaded. Works without a DOM, so also
 * in a worker.
 */
export class Surroundings {
  readonly key: THREE.DirectionalLight;
  private readonly fill: THREE.DirectionalLight;
  /** Light from all round in place of the room's, while it is plain. */
  private readonly sky = new THREE.HemisphereLight(0xffffff, 0xcfc8b8, 2.2);
  private plain = false;
  private readonly ground: THREE.Mesh<THREE.PlaneGeometry, THREE.ShadowMaterial>;
  private readonly contact: ContactShadow;
  private readonly mirror: Mirror;
  private readonly environments = new Map<string, THREE.Texture>();
  private backdrop: THREE.DataTexture | null = null;
  private settings: Settings = SURROUNDINGS_DEFAULT;
  private readonly centre = new THREE.Vector3();
  private radius = 1;
  /** Parts moved since the contact shadow was drawn. */
  private stale = true;
  /** Parts or the light moved since the ground was laid under their shadow. */
  private groundStale = true;
  /** All of the ground, as far as it goes. */
  private readonly wholeGround = new THREE.Matrix4();
  private floor = 0;

  constructor(
    private readonly stands: Standing,
    private readonly renderer: THREE.WebGLRenderer,
    private readonly up: Up,
  ) {
    const { scene } = stands;
    if (up === "z") scene.environmentRotation.set(Math.PI / 2, 0, 0);
    this.key = new THREE.DirectionalLight(0xffffff, 1);
    this.key.castShadow = true;
    this.key.shadow.mapSize.set(2048, 2048);
    this.key.shadow.radius = 5;
    this.fill = new THREE.DirectionalLight(0xffffff, 0.5);
    this.fill.position.set(...this.frame(-0.8, -0.3, 0.35));
    this.fill.updateMatrixWorld();
    this.ground = new THREE.Mesh(
      new THREE.PlaneGeometry(1, 1),
      new THREE.ShadowMaterial({ color: 0x3b3426, opacity: 0.26 }),
    );
    this.ground.receiveShadow = true;
    this.ground.matrixAutoUpdate = false;
    this.contact = new ContactShadow(up);
    this.mirror = new Mirror();
    this.own = [this.ground, this.contact.plane, this.mirror.plane, ...stands.lines];
    this.sky.position.set(...this.frame(0, 0, 1));
    this.sky.updateMatrixWorld();
    scene.add(this.sky, this.key, this.key.target, this.fill, this.ground, this.contact.plane, this.mirror.plane);
    this.set(SURROUNDINGS_DEFAULT);
  }

  /** What is left out of the pictures that the surroundings are made of: themselves, and lines. */
  private own: readonly THREE.Object3D[] = [];

  /** A direction given as right, back, up in the assembly's frame. */
  private frame(right: number, back: number, upward: number): Triple {
    return this.up === "z" ? [right, back, upward] : [right, upward, -back];
  }

  /** Takes over settings. With `plain` nothing mirrors a room: that costs seconds where there is no graphics card. */
  set(s: Settings, plain = false): void {
    const before = this.settings;
    this.settings = s;
    this.plain = plain;
    this.sky.visible = plain;
    const rig = LIGHT_RIGS[s.light];
    this.stands.scene.environmentIntensity = rig.room;
    this.key.color.setHex(rig.key.color);
    this.key.intensity = rig.key.strength * s.key.strength;
    this.key.castShadow = s.ground !== "none" || s.key.strength > 0;
    this.fill.color.setHex(rig.fill.color);
    this.fill.intensity = rig.fill.strength;
    if (
      !this.backdrop ||
      before.background.top !== s.background.top ||
      before.background.bottom !== s.background.bottom
    ) {
      this.backdrop?.dispose();
      this.backdrop = gradient(new THREE.Color(s.background.top), new THREE.Color(s.background.bottom));
    }
    this.stands.scene.background = this.backdrop;
    this.ground.visible = s.ground !== "none";
    const dark = new THREE.Color(s.background.bottom).getHSL({ h: 0, s: 0, l: 0 }).l < 0.4;
    this.ground.material.opacity = dark ? 0.6 : 0.26;
    this.contact.setStrength(s.ground === "none" ? 0 : s.contact * 0.9);
    this.mirror.setStrength(s.ground === "reflection" ? 0.2 : 0);
    this.placeKey();
    this.stale = true;
    this.mirrorStale = true;
  }

  get current(): Settings {
    return this.settings;
  }

  /** Places light and ground round a box (world, mm) and fits the shadow map to it. */
  fit(min: THREE.Vector3, max: THREE.Vector3): void {
    this.centre.copy(min).add(max).multiplyScalar(0.5);
    this.radius = Math.max(1, max.distanceTo(min) / 2);
    const camera = this.key.shadow.camera;
    const reach = this.radius * 1.7;
    Object.assign(camera, {
      left: -reach,
      right: reach,
      top: reach,
      bottom: -reach,
      near: this.radius * 0.5,
      far: this.radius * 6,
    });
    camera.updateProjectionMatrix();
    this.key.shadow.normalBias = this.radius * 0.004;
    this.key.shadow.bias = -0.0004;
    const size = 2 * FAR * this.radius;
    const m = new THREE.Matrix4().makeScale(size, size, 1);
    if (this.up === "y") m.premultiply(new THREE.Matrix4().makeRotationX(-Math.PI / 2));
    const floor =
      this.up === "z"
        ? new THREE.Vector3(this.centre.x, this.centre.y, min.z)
        : new THREE.Vector3(this.centre.x, min.y, this.centre.z);
    m.setPosition(floor);
    this.wholeGround.copy(m);
    this.ground.matrix.copy(m);
    this.ground.matrixWorld.copy(m);
    this.floor = this.up === "z" ? floor.z : floor.y;
    this.mirror.fit(m, new THREE.Vector3(...this.frame(0, 0, 1)), floor);
    this.contact.fit(min, max);
    this.placeKey();
    this.stale = true;
  }

  private placeKey(): void {
    const { azimuth, elevation } = this.settings.key;
    const a = (azimuth * Math.PI) / 180;
    const e = (Math.max(3, elevation) * Math.PI) / 180;
    const direction = new THREE.Vector3(
      ...this.frame(Math.sin(a) * Math.cos(e), -Math.cos(a) * Math.cos(e), Math.sin(e)),
    );
    this.key.position.copy(this.centre).addScaledVector(direction, this.radius * KEY_AWAY);
    this.key.target.position.copy(this.centre);
    this.key.target.updateMatrixWorld();
    this.key.updateMatrixWorld();
    this.groundStale = true;
  }

  /**
   * Lays the ground where shadows lie: what is outside would be asked for shadows at each of its points, a third of a
   * picture's time where there is no graphics card. What looks at all of the ground gets all of it.
   */
  private layGround(whole: boolean): void {
    if (this.settings.ground === "none") return;
    const { ground } = this;
    if (whole) {
      ground.matrix.copy(this.wholeGround);
      ground.visible = true;
      this.groundStale = true;
    } else if (this.groundStale) {
      this.groundStale = false;
      this.stands.standing(_reach);
      for (let k = 0; k < 3; k++) {
        _light[k] = (this.key.position.getComponent(k) - this.centre.getComponent(k)) / (KEY_AWAY * this.radius);
        _middle[k] = this.centre.getComponent(k);
      }
      const { elements } = ground.matrix;
      const most = FAR * this.radius;
      const margin = MARGIN * this.radius;
      ground.visible = shadeOnGround(elements, _reach, this.floor, _light, this.up, margin, _middle, most);
    }
    ground.matrixWorld.copy(ground.matrix);
  }

  /**
   * Parts have moved: shadow and, where something is near the ground, contact are drawn anew with the next picture.
   */
  moved(nearGround = true): void {
    if (nearGround) this.stale = true;
    this.groundStale = true;
    this.renderer.shadowMap.needsUpdate = true;
  }

  /**
   * True while pictures follow one another fast: the soft contact shadow and the faint reflection then each keep up with
   * every second one, in turn.
   */
  hurried = false;
  private shadowsTurn = false;
  /** Whether the reflection has to be drawn whoever's turn it is: it was not there, or is seen from somewhere else. */
  private mirrorStale = true;
  private mirroredRaw = false;
  private readonly mirroredFrom = new THREE.Vector3();

  /** The map of light that is worn; made once for each set-up, when it is first drawn. */
  private environment(): THREE.Texture | null {
    if (this.plain) return null;
    const { light } = this.settings;
    let made = this.environments.get(light);
    if (!made) {
      made = lightTexture(light);
      this.environments.set(light, made);
    }
    return made;
  }

  /** Puts the map of light on that is worn. */
  light(): void {
    this.stands.scene.environment = this.environment();
  }

  /**
   * Draws what a picture through `camera` needs beforehand: the map of light, the contact shadow and the mirrored
   * scene.
   * @param raw whether the picture is worked on before it is shown, so that it holds light, not colours
   */
  prepare(camera: THREE.Camera, raw = false): void {
    const { own } = this;
    this.light();
    this.layGround(raw);
    this.shadowsTurn = !this.shadowsTurn;
    if (this.stale && (this.shadowsTurn || !this.hurried)) {
      this.stale = false;
      this.contact.update(this.renderer, this.stands.scene, own);
    }
    const eye = _eye.setFromMatrixPosition(camera.matrixWorld);
    const cut = eye.distanceTo(this.mirroredFrom) > CUT * this.radius;
    if (this.shadowsTurn && this.hurried && !this.mirrorStale && !cut && raw === this.mirroredRaw) return;
    this.mirrorStale = false;
    this.mirroredRaw = raw;
    this.mirroredFrom.copy(eye);
    this.mirror.update(this.renderer, this.stands.scene, camera, own, raw);
  }

  /** The graphics were reset: what was drawn into textures is gone and is drawn anew. */
  revive(): void {
    this.mirrorStale = true;
    this.moved();
  }

  dispose(): void {
    for (const e of this.environments.values()) e.dispose();
    this.backdrop?.dispose();
    this.key.dispose();
    this.contact.dispose();
    this.mirror.dispose();
    this.ground.geometry.dispose();
    this.ground.material.dispose();
  }
}

const _eye = new THREE.Vector3();
const _reach = new Float64Array(6);
const _light: Triple = [0, 0, 0];
const _middle: Triple = [0, 0, 0];
/** How far the ground goes to each side, how far away the light stands, and how soft a shadow's edge is at most: radii. */
const [FAR, KEY_AWAY, MARGIN] = [12, 3, 0.03];
/** A camera that comes so much farther from one picture to the next looks from somewhere else; share of the radius. */
const CUT = 0.1;

/** A vertical gradient as a texture; drawn behind everything, not lit. */
function gradient(top: THREE.Color, bottom: THREE.Color): THREE.DataTexture {
  const rows = 64;
  const data = new Uint8Array(rows * 4);
  const [a, b] = [bottom.getHex(), top.getHex()];
  for (let i = 0; i < rows; i++) {
    const u = i / (rows - 1);
    [16, 8, 0].forEach((shift, k) => {
      data[4 * i + k] = Math.round(((a >> shift) & 255) + (((b >> shift) & 255) - ((a >> shift) & 255)) * u);
    });
    data[4 * i + 3] = 255;
  }
  const texture = new THREE.DataTexture(data, 1, rows);
  texture.colorSpace = THREE.SRGBColorSpace;
  texture.minFilter = THREE.LinearFilter;
  texture.magFilter = THREE.LinearFilter;
  texture.needsUpdate = true;
  return texture;
}
