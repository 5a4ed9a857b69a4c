import { noteSize, placeNote } from "../captions/layout";
import type { Look } from "../document/looks";
import { type Arrow, arrowsOf } from "../drawing/arrows";
import { type Bodies, MOMENTS, movingBodies } from "../drawing/bodies";
import { LineMaker, type Solid, type Strokes } from "../drawing/lines";
import { Mask } from "../drawing/mask";
import { Projection, WIDE } from "../drawing/projection";
import type { Geometry } from "../geometry/geometry";
import { nth } from "../math/packed";
import { explosionLinesOf, explosionSegment, noteAnchor, notesOf, noteText, SHORTEST_LINE } from "../program/overlay";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose, type Pose } from "../program/sampling";
import { actsOn, isOn } from "../program/spans";
import { timedLook } from "../program/timedLook";

/** What one can look through: less opaque than this. */
const SOLID = 0.6;
const GONE = 0.05;

/** A label in a drawing: a plate, its text, and a line to its part. Units of the drawing. */
export interface DrawnNote {
  text: string;
  x: number;
  y: number;
  left: number;
  top: number;
  width: number;
  height: number;
  size: number;
}

/** What is drawn over a picture or in its place. Units of the drawing. */
export interface SheetPicture {
  high: number;
  arrows: Arrow[];
  /** How many things move and have no arrow, as there is no room for one. */
  without: number;
  /** Null where a shaded picture is under it. */
  strokes: Strokes[] | null;
  /** Dashed lines from where parts belong: x y x y each. */
  dashes: Float64Array[];
  notes: DrawnNote[];
}

/** Draws arrows over pictures of steps, and line drawings in place of them. */
export class SheetDrawer {
  private readonly maker: LineMaker;
  private readonly at: Pose;
  private bodies: { step: number; of: Bodies } | null = null;

  constructor(
    private readonly program: Program,
    private readonly geometries: readonly Geometry[],
    private readonly look: Pick<Look, "nodes">,
    private readonly what: { lines: boolean; arrows: boolean; measure: (size: number) => (text: string) => number },
  ) {
    this.maker = new LineMaker(geometries);
    this.at = createPose(program);
  }

  /** What moves in a step's action. */
  bodiesOf(step: number): Bodies {
    if (this.bodies?.step !== step) {
      const { action, still } = this.program.steps;
      // What shows only in the action is gone when it is over.
      const of = movingBodies(this.program, nth(action, step), Math.max(nth(action, step), nth(still, step) - 1));
      this.bodies = { step, of };
    }
    return this.bodies.of;
  }

  /** @param step position among those that are on @param ticks of the sequence */
  draw(step: number, ticks: number): SheetPicture {
    const { program, at, what } = this;
    const { assembly } = program.index;
    const bodies = this.bodiesOf(step);
    pose(program, ticks, at);
    const view = new Projection(at.camera, assembly.up, program.sequence.picture);
    const { solids, nodes } = this.solids(bodies, step);
    const out: SheetPicture = { high: view.high, arrows: [], without: 0, strokes: null, dashes: [], notes: [] };
    if (what.arrows && bodies.bodies.length > 0) {
      const mask = new Mask(view);
      for (const s of solids) if (s.acts) mask.add(this.geometries[s.geometry] as Geometry, s.world, view);
      const shown = new Set(nodes);
      const seen = bodies.bodies.filter((b) => b.nodes.some((n) => shown.has(n)));
      const { arrows, without } = arrowsOf(seen, nearest(bodies.ticks, ticks), view, mask, program.index.parent);
      Object.assign(out, { arrows, without: without.length });
    }
    if (what.lines) {
      out.strokes = this.maker.draw(solids, view);
      out.dashes = this.dashes(view);
      out.notes = this.notes(view);
    }
    return out;
  }

  /** What stands in the pose and has a shape, and whose node each is. */
  private solids(bodies: Bodies, step: number): { solids: Solid[]; nodes: number[] } {
    const { program, at, geometries } = this;
    const { nodes } = program.index.assembly;
    const look = timedLook(program, at)?.nodes ?? this.look.nodes;
    const acts = this.acting(step);
    const ghost = new Uint8Array(nodes.length);
    const solids: Solid[] = [];
    const of: number[] = [];
    nodes.forEach((node, n) => {
      const entry = look[node.key];
      ghost[n] = entry?.ghost || (node.parent >= 0 && ghost[node.parent]) ? 1 : 0;
      const opacity = nth(at.opacity, n) * (entry?.finish?.opacity ?? node.color?.[3] ?? 1);
      if ((geometries[node.geometry]?.indices.length ?? 0) === 0 || !at.visible[n] || nth(at.opacity, n) <= GONE)
        return;
      solids.push({
        geometry: node.geometry,
        world: at.world.subarray(16 * n, 16 * n + 16),
        clear: ghost[n] === 1 || opacity < SOLID,
        acts: bodies.moving[n] === 1 || acts.has(n),
      });
      of.push(n);
    });
    return { solids, nodes: of };
  }

  /** What the moves of a step act on, or point at. */
  private acting(at: number): Set<number> {
    const { program } = this;
    const step = program.sequence.steps[program.steps.ids[at] ?? ""];
    const out = new Set<number>();
    for (const move of Object.values(step?.moves ?? {})) {
      if (!step || !isOn(step, move) || move.kind === "label" || move.kind === "dimension") continue;
      for (const target of move.kind === "attention" ? move.targets : actsOn(move, program.sequence))
        for (const root of program.nodesOf(target))
          for (let n = root; n < nth(program.index.end, root); n++) out.add(n);
    }
    return out;
  }

  private dashes(view: Projection): Float64Array[] {
    const { program, at } = this;
    const ends = new Float64Array(6);
    return explosionLinesOf(program).flatMap((line) => {
      if ((at.values[line.shown] ?? 0) < 0.5 || !at.visible[line.node]) return [];
      if (explosionSegment(program.index, at, line, ends, 0) < SHORTEST_LINE) return [];
      const [a, b] = [
        view.place([nth(ends, 0), nth(ends, 1), nth(ends, 2)]),
        view.place([nth(ends, 3), nth(ends, 4), nth(ends, 5)]),
      ];
      return a && b ? [Float64Array.of(...a, ...b)] : [];
    });
  }

  private notes(view: Projection): DrawnNote[] {
    const { program, at, what } = this;
    const picture = { left: 0, top: 0, width: WIDE, height: view.high };
    const size = noteSize(view.high);
    return notesOf(program).flatMap((note) => {
      if ((at.values[note.shown] ?? 0) < 0.5 || !at.visible[note.node]) return [];
      const place = view.place(noteAnchor(note, at));
      if (!place) return [];
      const text = noteText(note, at);
      return [{ text, x: place[0], y: place[1], ...placeNote(what.measure(size)(text), ...place, note, picture) }];
    });
  }
}

/** Number of the moment nearest to a time. */
function nearest(ticks: readonly number[], t: number): number {
  const [first = 0, last = 0] = [ticks[0], ticks[ticks.length - 1]];
  return last > first
    ? Math.max(0, Math.min(MOMENTS - 1, Math.round(((t - first) / (last - first)) * (MOMENTS - 1))))
    : MOMENTS - 1;
}
