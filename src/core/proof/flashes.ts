import { nth } from "../math/packed";
import type { Pose } from "../program/sampling";
import { TICKS_PER_SECOND } from "../time/time";
import { byChannel } from "./channels";
import type { Check, StepContext } from "./check";
import { shareOf, View } from "./view";

/** Channels by which something may flash. */
const FLASHING = new Set(["visible", "opacity", "tint", "tint-colour", "live"]);
/** A change of lightness that counts: a tenth of full, as WCAG 2.3.1 has it. */
const LEAST = 0.1;

/** How light a part is shown, roughly, 0..1: gone, see-through, tinted. */
const lightness = (at: Pose, node: number): number =>
  at.visible[node] === 1 ? nth(at.opacity, node) * (1 - 0.5 * Math.min(1, nth(at.tint, node))) : 0;

/** Whether anything in the step can flash at all. */
function mayFlash({ program, step }: StepContext<"area" | "most">): boolean {
  for (const rows of program.placed.values()) {
    let changes = 0;
    for (const [channel, list] of byChannel(rows)) {
      if (!FLASHING.has(channel) && !channel.startsWith("look.")) continue;
      for (const r of list) if (r.step === step.id && r.from[0] !== r.to[0] && ++changes > 4) return true;
    }
  }
  return false;
}

/**
 * Flashes: a change of lightness and back. More than three in a second over more than a quarter of the picture may
 * bring on a seizure (WCAG 2.3.1, Three Flashes or Below Threshold). Areas are those of the parts' boxes; what is
 * judged is what the sequence does, not how the light falls.
 */
export const flashes: Check<"area" | "most"> = {
  id: "flashes",
  title: "Flashes too often",
  why: "More than three flashes in a second over a quarter of the picture can bring on a seizure (WCAG 2.3.1).",
  needs: ["poses", "meshes"],
  thresholds: {
    most: { label: "Flashes in a second, at most", unit: "", min: 1, max: 30, usual: 3 },
    area: { label: "Over more than", unit: "%", min: 1, max: 100, usual: 25 },
  },
  mends: {},
  watch(context, report) {
    const { program, shapes, thresholds, step } = context;
    if (!shapes || !mayFlash(context)) return null;
    const nodes = program.index.assembly.nodes.flatMap((_, n) => (shapes.geometryOf(n) >= 0 ? [n] : []));
    const view = new View(program);
    // Of each part: how light it was at the last turning point, and which way it goes from there.
    const turned = new Float64Array(nodes.length);
    const last = new Float64Array(nodes.length);
    const way = new Int8Array(nodes.length);
    let begun = false;
    // Moments at which enough of the picture got lighter or darker, ticks, with their share of it.
    const swings: { at: number; share: number; way: number }[] = [];
    const enough = thresholds.area / 100;
    const look = (at: Pose, ticks: number) => {
      let lighter = 0;
      let darker = 0;
      view.look(at);
      for (let i = 0; i < nodes.length; i++) {
        const node = nth(nodes, i);
        const l = lightness(at, node);
        const d = l - nth(last, i);
        if (begun && d !== 0) {
          if (Math.sign(d) !== way[i]) {
            turned[i] = nth(last, i);
            way[i] = Math.sign(d);
          }
          const before = Math.abs(nth(last, i) - nth(turned, i));
          if (before < LEAST && Math.abs(l - nth(turned, i)) >= LEAST) {
            const share = shareOf(view.project(at, node, shapes.hullOf(shapes.geometryOf(node))));
            if (d > 0) lighter += share;
            else darker += share;
          }
        }
        last[i] = l;
      }
      begun = true;
      for (const [share, sign] of [
        [lighter, 1],
        [darker, -1],
      ] as const)
        if (share > enough) swings.push({ at: ticks, share: Math.min(1, share), way: sign });
    };
    return {
      before: look,
      frame: look,
      end() {
        // Two opposite changes are one flash.
        const most = 2 * thresholds.most;
        let from = 0;
        let worst: { from: number; to: number; flashes: number; share: number } | null = null;
        for (let i = 0; i < swings.length; i++) {
          while ((swings[i]?.at ?? 0) - (swings[from]?.at ?? 0) > TICKS_PER_SECOND) from++;
          const inside = swings.slice(from, i + 1);
          const alternating = inside.filter((s, k) => k === 0 || s.way !== inside[k - 1]?.way);
          if (alternating.length <= most || (worst && alternating.length / 2 <= worst.flashes)) continue;
          const first = inside[0];
          worst = {
            ...{ from: first?.at ?? 0, to: swings[i]?.at ?? 0, flashes: Math.floor(alternating.length / 2) },
            share: Math.max(...inside.map((s) => s.share)),
          };
        }
        if (worst)
          report({
            ...{
              severity: "wrong",
              what: "flashes",
              step: step.id,
              from: worst.from,
              to: worst.to,
              targets: [],
              mends: [],
            },
            numbers: {
              flashes: { value: worst.flashes, unit: "" },
              share: { value: 100 * worst.share, unit: "%" },
            },
            about: [],
          });
      },
    };
  },
};
