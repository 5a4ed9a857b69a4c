import type { AssemblyPackage } from "../../../core/assembly/package";
import type { Look } from "../../../core/document/looks";
import { FACE_STRIDE, type Geometry } from "../../../core/geometry/geometry";
import { invertedAffine, multiplyAffine } from "../../../core/math/mat4";
import { nth } from "../../../core/math/packed";
import { multiplyQuaternion } from "../../../core/math/rotation";
import { pose } from "../../../core/program/pose";
import type { Program } from "../../../core/program/program";
import { createPose, type Pose } from "../../../core/program/sampling";
import { decomposed, motionOf, type NodeMotion, type StepMotion } from "../../../core/scene/motion";
import { type Fitted, joined, type Keys, valueAt } from "../../../core/scene/signal";
import { TICKS_PER_SECOND } from "../../../core/time/time";
import { GlbBuilder, type Pack } from "./glb";

export interface SceneOptions {
  /** How what is not shown is said: by an extension, or plainly by making it too small to be seen. */
  visibility: "extension" | "plain";
  /** An animation for each step beside the one for all. */
  steps: boolean;
  /** Packs the numbers, exactly; null writes them as they are. */
  pack?: Pack | null;
}

/** What was written, and how exact it is. */
export interface SceneReport {
  bytes: Uint8Array;
  animations: number;
  keys: number;
  /** Farthest that a corner of a part is from where the film has it, mm, at moments between keys. */
  off: number;
  /** Parts that are stretched across their turn, by name, and how far they are off for that, mm. */
  sheared: { name: string; off: number }[];
}

const LOOKS_AT = 400;
const mm = 0.001;
/** Z up to Y up. */
const UP_Z = [-Math.SQRT1_2, 0, 0, Math.SQRT1_2];

/**
 * A part of a film as a GLB with its motion (glTF 2.0): the tree of parts in mm under a root that brings them to
 * metres and Y up, finishes, the picture's camera, lights, and an animation of all of it and one a step. What is not in
 * glTF itself goes by KHR_animation_pointer, KHR_node_visibility and KHR_lights_punctual. Yields the share done.
 */
export function* writeScene(
  pkg: AssemblyPackage,
  program: Program,
  look: Pick<Look, "nodes" | "surroundings">,
  range: { from: number; to: number },
  options: SceneOptions,
): Generator<number, SceneReport> {
  const plain = options.visibility === "plain";
  const reach = reachOf(program, pkg.geometries);
  const going = motionOf(program, range, reach, { shrink: plain });
  let steps: StepMotion[] = [];
  for (;;) {
    const next = going.next();
    if (next.done) {
      steps = next.value;
      break;
    }
    yield 0.8 * next.value;
  }
  const at = createPose(program);
  pose(program, range.from, at);
  const scene = new SceneWriter(pkg, program, look, at, plain);
  const moved = scene.nodes(steps);
  let keys = 0;
  const animate = (name: string, list: readonly StepMotion[]) => {
    const from = list[0]?.from ?? range.from;
    const all = <T>(of: (s: StepMotion) => T): { at: number; fitted: T }[] =>
      list.map((s) => ({ at: (s.from - from) / TICKS_PER_SECOND, fitted: of(s) }));
    const end = ((list[list.length - 1]?.to ?? from) - from) / TICKS_PER_SECOND;
    keys += scene.animation(
      name,
      moved,
      (node, part) => joined(all((s) => fittedOf(s, node, part))),
      {
        translation: joined(all((s) => s.camera.translation)),
        rotation: joined(all((s) => s.camera.rotation)),
        view: joined(all((s) => s.camera.view)),
      },
      end,
    );
  };
  animate("All of it", steps);
  if (options.steps && steps.length > 1)
    for (const [i, s] of steps.entries())
      animate(`${i + 1} ${program.sequence.steps[s.step]?.title ?? ""}`.trim(), [s]);
  yield 0.9;
  const off = farthestOff(program, steps, reach, at, plain);
  const worst = new Map<number, number>();
  for (const s of steps) for (const [node, far] of s.sheared) worst.set(node, Math.max(far, worst.get(node) ?? 0));
  const bytes = scene.finish(options.pack ?? null);
  yield 1;
  return {
    ...{ bytes, animations: scene.animations, keys, off },
    sheared: [...worst].map(([node, far]) => ({ name: scene.nameOf(node), off: far })),
  };
}

type Part = keyof NodeMotion;
const fittedOf = (s: StepMotion, node: number, part: Part): Fitted => (s.nodes.get(node) as NodeMotion)[part];

/** How far everything below each node reaches from its origin at home, mm. */
function reachOf(program: Program, geometries: readonly Geometry[]): Float64Array {
  const { index } = program;
  const out = new Float64Array(index.parent.length).fill(1);
  for (let n = 0; n < out.length; n++) {
    const g = geometries[index.assembly.nodes[n]?.geometry ?? -1];
    if (!g) continue;
    for (let above = n; above >= 0; above = nth(index.parent, above)) {
      for (let corner = 0; corner < 8; corner++) {
        const p = [1, 2, 4].map((bit, k) => nth(corner & bit ? g.bounds.max : g.bounds.min, k));
        let sum = 0;
        for (let r = 0; r < 3; r++) {
          let v = nth(index.homeWorld, 16 * n + 12 + r) - nth(index.homeWorld, 16 * above + 12 + r);
          for (let k = 0; k < 3; k++) v += nth(index.homeWorld, 16 * n + 4 * k + r) * nth(p, k);
          sum += v * v;
        }
        out[above] = Math.max(nth(out, above), Math.sqrt(sum));
      }
    }
  }
  return out;
}

/** Puts a scene into a GLB. */
class SceneWriter {
  animations = 0;
  private readonly glb = new GlbBuilder();
  private readonly json: {
    nodes: Record<string, unknown>[];
    meshes: object[];
    materials: object[];
    animations: object[];
  } = { nodes: [], meshes: [], materials: [], animations: [] };
  private readonly used = new Set<string>();
  private readonly geometries = new Map<string, object>();
  private readonly materials = new Map<string, number>();
  /** Material of each node that fades. */
  private readonly fading = new Map<number, number>();
  private readonly inputs = new Map<string, number>();
  private camera = -1;

  constructor(
    private readonly pkg: AssemblyPackage,
    private readonly program: Program,
    private readonly look: Pick<Look, "nodes" | "surroundings">,
    private readonly at: Pose,
    private readonly plain: boolean,
  ) {}

  nameOf(node: number): string {
    const it = this.program.index.assembly.nodes[node];
    return this.program.preparation.nodes[it?.key ?? ""]?.name ?? it?.name ?? "";
  }

  /** Writes the tree as it stands at the beginning. @returns the nodes that move */
  nodes(steps: readonly StepMotion[]): number[] {
    const { index } = this.program;
    const { nodes } = index.assembly;
    const moved = [...this.program.moving].filter((n) => steps.some((s) => moves(s.nodes.get(n) as NodeMotion)));
    const moving = new Set(moved);
    const fades = new Set(
      moved.filter((n) =>
        steps.some(
          (s) => fittedOf(s, n, "opacity").keys.times.length > 1 || nth(fittedOf(s, n, "opacity").keys.values, 0) < 1,
        ),
      ),
    );
    const children = new Map<number, number[]>();
    nodes.forEach((_, n) => {
      const above = nth(index.parent, n);
      const list = children.get(above);
      if (list) list.push(1 + n);
      else children.set(above, [1 + n]);
    });
    this.json.nodes.push({
      name: index.assembly.name || "Assembly",
      scale: [mm, mm, mm],
      ...(index.assembly.up === "z" ? { rotation: UP_Z } : {}),
    });
    const trs = new Float64Array(10);
    nodes.forEach((it, n) => {
      localOf(this.program, this.at, n, trs, this.plain && this.at.visible[n] !== 1);
      const shown = this.at.visible[n] === 1;
      const mesh = it.geometry >= 0 && (shown || moving.has(n) || !this.plain) ? this.mesh(n, fades.has(n)) : -1;
      const below = children.get(n);
      this.json.nodes.push({
        name: this.nameOf(n),
        ...transform(trs),
        ...(mesh >= 0 ? { mesh } : {}),
        ...(below ? { children: below } : {}),
        ...(shown || this.plain ? {} : { extensions: { [this.use("KHR_node_visibility")]: { visible: false } } }),
        extras: { key: it.key },
      });
      if (!this.plain && moving.has(n) && shown && steps.some((s) => fittedOf(s, n, "visible").keys.times.length > 1))
        Object.assign(this.json.nodes[1 + n] as object, {
          extensions: { [this.use("KHR_node_visibility")]: { visible: true } },
        });
    });
    const roots = children.get(-1) ?? [];
    const more = [this.eye(), ...this.lights()];
    Object.assign(this.json.nodes[0] as object, { children: [...roots, ...more] });
    return moved;

    function moves(m: NodeMotion): boolean {
      return Object.values(m).some((f: Fitted) => f.keys.times.length > 1) || steps.length > 1;
    }
  }

  private use(extension: string): string {
    this.used.add(extension);
    return extension;
  }

  /** The picture's camera, under the root like all else: its size does not matter. */
  private eye(): number {
    this.camera = this.json.nodes.length;
    this.json.nodes.push({ name: "Picture", camera: 0 });
    return this.camera;
  }

  private lights(): number[] {
    const { key } = this.look.surroundings;
    const turned = (azimuth: number, elevation: number): number[] => {
      const half = Math.PI / 360;
      // A light shines along -Z of its node: down by its elevation, then round the up axis; up is Z under the root.
      const [a, e] = [azimuth * half, (90 - elevation) * half];
      const up = this.program.index.assembly.up;
      const tilt = [Math.sin(e), 0, 0, Math.cos(e)];
      const round = up === "z" ? [0, 0, Math.sin(a), Math.cos(a)] : [0, Math.sin(a), 0, Math.cos(a)];
      const stand = up === "z" ? tilt : multiplyQuaternion([-Math.SQRT1_2, 0, 0, Math.SQRT1_2], tilt);
      return multiplyQuaternion(round, stand);
    };
    this.use("KHR_lights_punctual");
    return [
      { name: "Key light", light: 0, rotation: turned(key.azimuth, key.elevation) },
      { name: "Fill light", light: 1, rotation: turned(key.azimuth + 150, 35) },
    ].map(({ name, light, rotation }) => {
      this.json.nodes.push({ name, rotation, extensions: { KHR_lights_punctual: { light } } });
      return this.json.nodes.length - 1;
    });
  }

  private mesh(node: number, fades: boolean): number {
    const it = this.program.index.assembly.nodes[node];
    const g = this.pkg.geometries[it?.geometry ?? -1];
    if (!it || !g || g.indices.length === 0) return -1;
    const entry = this.look.nodes[it.key];
    const material = this.material(node, fades);
    const faces = !entry?.finish && hasFaceColours(g);
    const name = `${it.geometry} ${faces ? JSON.stringify(it.color) : ""}`;
    let primitive = this.geometries.get(name);
    if (!primitive) {
      const attributes: Record<string, number> = {
        POSITION: this.glb.accessor(g.positions, "VEC3", { target: 34962, bounds: true }),
        NORMAL: this.glb.accessor(normalsOf(g), "VEC3", { target: 34962 }),
      };
      if (faces)
        attributes.COLOR_0 = this.glb.accessor(coloursOf(g, it.color), "VEC4", { target: 34962, normalized: true });
      primitive = { attributes, indices: this.glb.accessor(g.indices, "SCALAR", { target: 34963 }) };
      this.geometries.set(name, primitive);
    }
    this.json.meshes.push({ primitives: [{ ...primitive, material }] });
    return this.json.meshes.length - 1;
  }

  private material(node: number, fades: boolean): number {
    const it = this.program.index.assembly.nodes[node];
    const entry = this.look.nodes[it?.key ?? ""];
    const g = this.pkg.geometries[it?.geometry ?? -1];
    const finish = entry?.finish;
    const own = it?.color ?? [0.56, 0.6, 0.64, 1];
    const opacity = (finish ? finish.opacity : nth(own, 3)) * (entry?.ghost ? 0.18 : 1);
    // Faces that have colours of their own carry all of it.
    const white = !finish && g !== undefined && hasFaceColours(g);
    const rgb = finish ? linearOf(finish.color) : white ? [1, 1, 1] : own.slice(0, 3);
    const see = fades || opacity < 0.999;
    const material = {
      pbrMetallicRoughness: {
        baseColorFactor: [...rgb, opacity * (fades ? nth(this.at.opacity, node) : 1)],
        metallicFactor: finish ? finish.metalness : 0.12,
        roughnessFactor: finish ? Math.max(0.03, finish.roughness) : opacity < 0.999 ? 0.12 : 0.46,
      },
      ...(finish && finish.glow > 0
        ? { emissiveFactor: linearOf(finish.emissive).map((v) => Math.min(1, v * finish.glow)) }
        : {}),
      ...(see ? { alphaMode: "BLEND" } : {}),
      doubleSided: true,
    };
    if (fades) {
      this.json.materials.push({ name: this.nameOf(node), ...material });
      this.fading.set(node, this.json.materials.length - 1);
      return this.json.materials.length - 1;
    }
    const name = JSON.stringify(material);
    const known = this.materials.get(name);
    if (known !== undefined) return known;
    this.json.materials.push(material);
    this.materials.set(name, this.json.materials.length - 1);
    return this.json.materials.length - 1;
  }

  /** Writes one animation. @returns how many keys it has */
  animation(
    name: string,
    moved: readonly number[],
    keysOf: (node: number, part: Part) => Keys,
    camera: { translation: Keys; rotation: Keys; view: Keys },
    end: number,
  ): number {
    const channels: object[] = [];
    const samplers: object[] = [];
    let count = 0;
    const put = (keys: Keys, target: object, change: (v: number[]) => ArrayLike<number> = (v) => v) => {
      count += keys.times.length;
      samplers.push({
        input: this.times(keys.times),
        output: this.output(keys, change),
        interpolation: keys.mode,
      });
      channels.push({ sampler: samplers.length - 1, target });
    };
    const pointer = (to: string) => ({
      path: "pointer",
      extensions: { [this.use("KHR_animation_pointer")]: { pointer: to } },
    });
    for (const node of moved) {
      for (const path of ["translation", "rotation", "scale"] as const) {
        const keys = keysOf(node, path);
        if (keys.times.length > 1 || !this.rests(node, path, keys)) put(keys, { node: 1 + node, path });
      }
      const visible = keysOf(node, "visible");
      const hasVisible = (this.json.nodes[1 + node]?.extensions as object | undefined) !== undefined;
      if (!this.plain && hasVisible) {
        count += visible.times.length;
        samplers.push({
          input: this.times(visible.times),
          output: this.glb.accessor(
            Uint8Array.from(visible.values, (v) => (v > 0.5 ? 1 : 0)),
            "SCALAR",
          ),
          interpolation: "STEP",
        });
        channels.push({
          sampler: samplers.length - 1,
          target: pointer(`/nodes/${1 + node}/extensions/KHR_node_visibility/visible`),
        });
      }
      const material = this.fading.get(node);
      if (material === undefined) continue;
      const { pbrMetallicRoughness } = this.json.materials[material] as {
        pbrMetallicRoughness: { baseColorFactor: number[] };
      };
      const [r, g, b, a] = pbrMetallicRoughness.baseColorFactor as [number, number, number, number];
      const whole = a / (nth(this.at.opacity, node) || 1);
      const opacity = keysOf(node, "opacity");
      const width = opacity.mode === "CUBICSPLINE" ? 3 : 1;
      put(
        {
          ...opacity,
          size: 4,
          values: opacity.values.flatMap((v, i) =>
            width === 3 && i % 3 !== 1 ? [0, 0, 0, v * whole] : [r, g, b, v * whole],
          ),
        },
        pointer(`/materials/${material}/pbrMetallicRoughness/baseColorFactor`),
      );
    }
    put(camera.translation, { node: this.camera, path: "translation" });
    put(camera.rotation, { node: this.camera, path: "rotation" });
    if (camera.view.times.length > 1) put(camera.view, pointer("/cameras/0/perspective/yfov"));
    // An animation lasts as long as what it shows, also when all stands still in the end.
    samplers.push({
      input: this.times(end > 0 ? [0, end] : [0]),
      output: this.glb.accessor(Float32Array.from(end > 0 ? [mm, mm, mm, mm, mm, mm] : [mm, mm, mm]), "VEC3"),
      interpolation: "STEP",
    });
    channels.push({ sampler: samplers.length - 1, target: { node: 0, path: "scale" } });
    this.json.animations.push({ name, channels, samplers });
    this.animations++;
    return count;
  }

  /** Whether a single key says no more than the node does. */
  private rests(node: number, path: "translation" | "rotation" | "scale", keys: Keys): boolean {
    const own = (this.json.nodes[1 + node] as Record<string, number[] | undefined>)[path];
    const usual = { translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] }[path];
    const value = keys.mode === "CUBICSPLINE" ? keys.values.slice(keys.size, 2 * keys.size) : keys.values;
    const off = (sign: number) => Math.max(...value.map((v, k) => Math.abs(sign * v - nth(own ?? usual, k))));
    return Math.min(off(1), path === "rotation" ? off(-1) : off(1)) < 1e-9;
  }

  private times(list: readonly number[]): number {
    const data = Float32Array.from(list);
    const name = data.join();
    const known = this.inputs.get(name);
    if (known !== undefined) return known;
    const made = this.glb.accessor(data, "SCALAR", { bounds: true });
    this.inputs.set(name, made);
    return made;
  }

  private output(keys: Keys, change: (v: number[]) => ArrayLike<number>): number {
    const type = { 1: "SCALAR", 3: "VEC3", 4: "VEC4" }[keys.size as 1 | 3 | 4] as "SCALAR" | "VEC3" | "VEC4";
    return this.glb.accessor(Float32Array.from(change(keys.values)), type);
  }

  finish(pack: Pack | null): Uint8Array {
    const { sequence } = this.program;
    const trs = new Float64Array(8);
    trs.set(this.at.camera.subarray(0, 8));
    const { width, height } = sequence.picture;
    const yfov = 2 * Math.atan((18 / nth(this.at.camera, 7)) * (height / width));
    const lights = [
      {
        type: "directional",
        name: "Key light",
        intensity: 2.4 * this.look.surroundings.key.strength,
        color: [1, 0.95, 0.88],
      },
      { type: "directional", name: "Fill light", intensity: 0.8, color: [0.87, 0.92, 1] },
    ];
    const used = [...this.used].sort();
    const { nodes, meshes, materials, animations } = this.json;
    return this.glb.finish(
      {
        asset: { version: "2.0", generator: "Plextan" },
        ...(used.length > 0 ? { extensionsUsed: used } : {}),
        extensions: { KHR_lights_punctual: { lights } },
        scene: 0,
        scenes: [{ name: sequence.name, nodes: [0] }],
        nodes,
        ...(meshes.length > 0 ? { meshes, materials } : {}),
        cameras: [
          { type: "perspective", perspective: { aspectRatio: width / height, yfov, znear: 0.001, zfar: 1000 } },
        ],
        ...(animations.length > 0 ? { animations } : {}),
      },
      pack,
    );
  }
}

/** A node's place, turn and size in its parent, as a pose has it. */
function localOf(program: Program, at: Pose, node: number, out: Float64Array, shrunk: boolean): void {
  const above = nth(program.index.parent, node);
  if (above < 0) decomposed(at.world, 16 * node, out, 0);
  else {
    const local = new Float64Array(16);
    multiplyAffine(local, 0, Float64Array.from(invertedAffine(at.world, 16 * above)), 0, at.world, 16 * node);
    decomposed(local, 0, out, 0);
  }
  if (shrunk) for (let k = 7; k < 10; k++) out[k] = 1e-5 * nth(out, k);
}

function transform(trs: Float64Array): object {
  const [t, r, s] = [[...trs.subarray(0, 3)], [...trs.subarray(3, 7)], [...trs.subarray(7, 10)]];
  return {
    ...(t.some((v) => v !== 0) ? { translation: t } : {}),
    ...(Math.abs(nth(r, 3)) < 1 - 1e-15 ? { rotation: r } : {}),
    ...(s.some((v) => Math.abs(v - 1) > 1e-12) ? { scale: s } : {}),
  };
}

const hasFaceColours = (g: Geometry): boolean => {
  for (let f = 0; f < g.faces.length / FACE_STRIDE; f++) if (nth(g.faces, f * FACE_STRIDE + 11) >= 0) return true;
  return false;
};
const toLinear = (v: number): number => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4);
const linearOf = (hex: string): number[] =>
  [1, 3, 5].map((i) => toLinear(Number.parseInt(hex.slice(i, i + 2), 16) / 255));

/** A colour for each corner: its face's, or the part's. Linear, 16 bits. */
function coloursOf(g: Geometry, own: readonly number[] | null): Uint16Array {
  const out = new Uint16Array((g.positions.length / 3) * 4).fill(65535);
  const usual = (own ?? [0.56, 0.6, 0.64, 1]).slice(0, 3);
  const set = (o: number, rgb: readonly number[]) => {
    for (let k = 0; k < 3; k++) out[o + k] = Math.round(65535 * nth(rgb, k));
  };
  for (let o = 0; o < out.length; o += 4) set(o, usual);
  for (let f = 0; f < g.faces.length / FACE_STRIDE; f++) {
    const packed = nth(g.faces, f * FACE_STRIDE + 11);
    if (packed < 0) continue;
    const rgb = [16, 8, 0].map((shift) => toLinear(((packed >> shift) & 255) / 255));
    const first = nth(g.faces, f * FACE_STRIDE) * 3;
    for (let i = first; i < first + nth(g.faces, f * FACE_STRIDE + 1) * 3; i++) set(4 * nth(g.indices, i), rgb);
  }
  return out;
}

/** Normals of length 1, as glTF wants them; where there is none, straight up. */
function normalsOf(g: Geometry): Float32Array {
  const out = new Float32Array(g.positions.length);
  for (let i = 0; i + 2 < out.length; i += 3) {
    const [x, y, z] = [g.normals[i] ?? 0, g.normals[i + 1] ?? 0, g.normals[i + 2] ?? 0];
    const n = Math.hypot(x, y, z);
    out.set(n > 1e-6 ? [x / n, y / n, z / n] : [0, 0, 1], i);
  }
  return out;
}

/** The farthest that what the keys say is from the film, mm: corners of what each part reaches, between keys. */
function farthestOff(
  program: Program,
  steps: readonly StepMotion[],
  reach: Float64Array,
  at: Pose,
  plain: boolean,
): number {
  const { index } = program;
  const whole = steps.reduce((sum, s) => sum + s.to - s.from, 0);
  const world = new Float64Array(at.world.length);
  const rest = new Float64Array(16);
  const matrix = new Float64Array(16);
  let most = 0;
  for (const s of steps) {
    const looks = Math.max(3, Math.round((LOOKS_AT * (s.to - s.from)) / whole));
    for (let i = 0; i < looks; i++) {
      // Anywhere but at the very moment in which something jumps.
      const ticks = s.from + ((i + 0.3819) / looks) * (s.to - s.from);
      pose(program, ticks, at);
      for (let n = 0; n < index.parent.length; n++) {
        const above = nth(index.parent, n);
        const m = s.nodes.get(n);
        if (m) composed(m, (ticks - s.from) / TICKS_PER_SECOND, matrix);
        else if (above < 0) matrix.set(at.world.subarray(16 * n, 16 * n + 16));
        else {
          multiplyAffine(rest, 0, Float64Array.from(invertedAffine(at.world, 16 * above)), 0, at.world, 16 * n);
          matrix.set(rest);
        }
        if (above < 0) world.set(matrix, 16 * n);
        else multiplyAffine(world, 16 * n, world, 16 * above, matrix, 0);
        if (!m || (plain && !at.visible[n])) continue;
        let sum = 0;
        for (let r = 0; r < 3; r++) {
          let turned = 0;
          for (let k = 0; k < 3; k++)
            turned = Math.max(turned, Math.abs(nth(world, 16 * n + 4 * k + r) - nth(at.world, 16 * n + 4 * k + r)));
          sum += (Math.abs(nth(world, 16 * n + 12 + r) - nth(at.world, 16 * n + 12 + r)) + turned * nth(reach, n)) ** 2;
        }
        if (!s.sheared.has(n)) most = Math.max(most, Math.sqrt(sum));
      }
    }
  }
  return most;
}

function composed(m: NodeMotion, time: number, out: Float64Array): void {
  const t = valueAt(m.translation.keys, time);
  const [x, y, z, w] = valueAt(m.rotation.keys, time) as [number, number, number, number];
  const s = valueAt(m.scale.keys, time);
  const r = [
    [1 - 2 * (y * y + z * z), 2 * (x * y + z * w), 2 * (x * z - y * w)],
    [2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w)],
    [2 * (x * z + y * w), 2 * (y * z - x * w), 1 - 2 * (x * x + y * y)],
  ];
  for (let c = 0; c < 3; c++) {
    for (let k = 0; k < 3; k++) out[4 * c + k] = nth(r[c] ?? [], k) * nth(s, c);
    out[4 * c + 3] = 0;
    out[12 + c] = nth(t, c);
  }
  out[15] = 1;
}
