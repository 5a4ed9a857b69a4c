/**
 * The desk's curves with 3,600 points in three strips, zoomed and nudged, against a bare page that draws the same curves
 * (the same paths set on plain SVG, nothing else).
 */

import { flushSync } from "react-dom";
import { createRoot } from "react-dom/client";
import { IMPORT_DEFAULTS } from "../src/core/assembly/importSettings";
import { encodePackage } from "../src/core/assembly/package";
import { emptyPreparation } from "../src/core/document/preparation";
import { type Key, type Sequence, STEP_DEFAULTS } from "../src/core/document/sequence";
import { compile } from "../src/core/program/compile";
import { TICKS_PER_SECOND } from "../src/core/time/time";
import { nudgePoints, pointOf, selectPoints } from "../src/desk/acts/curveActions";
import { reachOf, type Shown, shownChannels } from "../src/desk/curves/model";
import { type Band, bandsOf, type PlotView, pathOf, roomy, Scale } from "../src/desk/curves/plotView";
import { OpenDesk } from "../src/desk/desk";
import { select } from "../src/desk/selection/selecting";
import { CurveView } from "../src/ui/curves/CurveView";
import { DeskContext } from "../src/ui/desk/context";
import { allMove, gridAssembly, median } from "./assembly";

const ARRIVALS = 1200;
const pkg = gridAssembly(20);

/** Arrivals every twentieth of a second on three channels of one part. */
function film(): Sequence {
  const view = { "aim.x": 0, "aim.y": 0, "aim.z": 0, azimuth: 0, elevation: 20, distance: 1000, roll: 0, lens: 50 };
  const sequence = allMove(pkg, view);
  const step = sequence.steps.s;
  const [first] = Object.values(step?.moves ?? {});
  if (!step || first?.kind !== "hand") throw new Error("no step");
  Object.assign(step, STEP_DEFAULTS, { stillBefore: 0, action: 61 * TICKS_PER_SECOND, moves: { [first.id]: first } });
  first.keys = Object.fromEntries(
    Array.from({ length: ARRIVALS }, (_, i): [string, Key] => [
      `k${i}`,
      {
        id: `k${i}`,
        at: Math.round(((i + 1) * TICKS_PER_SECOND) / 20),
        lead: "previous",
        ease: { kind: "soft", start: 0.1, stop: 0.1 },
        values: { "slide.x": 20 * Math.sin(i / 9), "slide.y": 10 * Math.cos(i / 7), "turn.z": 3 * i },
      },
    ]),
  );
  return sequence;
}

globalThis.fetch = async () => Response.json({ revision: 1, log: [] });
const desk = new OpenDesk({
  projectId: "measured",
  projectName: "Measured",
  assembly: { number: 1, fileName: "measured.glb", settings: IMPORT_DEFAULTS, identities: {} },
  bytes: encodePackage(pkg).buffer as ArrayBuffer,
  trees: [],
  documents: [
    { id: "prep", kind: "preparation", revision: 0, body: emptyPreparation() },
    { id: "seq", kind: "sequence", revision: 0, body: film() },
  ],
});

const SIZE = { width: 900, height: 330 };
const style = document.createElement("style");
style.textContent =
  ".curves-main{width:900px}.curves-plot{position:relative;width:900px;height:330px}svg{display:block}";
const host = document.createElement("div");
document.head.append(style);
document.body.append(host);

/** The bare page: paths on plain SVG. */
const bareSvg = document.createElementNS("http://www.w3.org/2000/svg", "svg");
bareSvg.setAttribute("width", String(SIZE.width));
bareSvg.setAttribute("height", String(SIZE.height));
document.body.append(bareSvg);
function bare(shown: readonly Shown[], view: PlotView): void {
  const { bands } = bandsOf(shown.length, SIZE, false, 0);
  shown.forEach((s, i) => {
    const line =
      bareSvg.children[2 * i] ?? bareSvg.appendChild(document.createElementNS(bareSvg.namespaceURI, "polyline"));
    const dots =
      bareSvg.children[2 * i + 1] ?? bareSvg.appendChild(document.createElementNS(bareSvg.namespaceURI, "path"));
    const scale = new Scale(view, SIZE.width, bands[i] as Band, roomy(reachOf(s, view.t0, view.t1)));
    line.setAttribute("points", pathOf(s, view, SIZE, scale));
    dots.setAttribute(
      "d",
      s.curve.keys.map((k) => `M${scale.x(k.at).toFixed(1)} ${scale.y(k.value).toFixed(1)}h0`).join(""),
    );
  });
}

const pause = () => new Promise((r) => setTimeout(r, 30));
const timed = (work: () => void): number => {
  const start = performance.now();
  work();
  return performance.now() - start;
};

async function run(): Promise<object> {
  select(desk, [1]);
  const root = createRoot(host);
  const opened = timed(() =>
    flushSync(() =>
      root.render(
        <DeskContext.Provider value={desk}>
          <CurveView />
        </DeskContext.Provider>,
      ),
    ),
  );
  await pause();
  const target = {
    type: "node",
    key:
      Object.values(desk.body().steps.s?.moves ?? {}).flatMap((m) =>
        m.kind === "hand" && m.target.type === "node" ? [m.target.key] : [],
      )[0] ?? "",
  } as const;
  const shown = () => shownChannels(desk, [target]);
  const plain = shown();
  const svg = host.querySelector<SVGSVGElement>("svg.plot");
  if (!svg) throw new Error("no curves");
  const length = desk.program.steps.length;
  const zoom = { ours: [] as number[], bare: [] as number[] };
  const nudge = { ours: [] as number[], bare: [] as number[] };
  for (let i = 0; i < 36; i++) {
    const deltaY = i % 2 ? 40 : -40;
    const ours = () =>
      timed(() =>
        flushSync(() => {
          svg.dispatchEvent(
            new WheelEvent("wheel", {
              deltaY,
              ctrlKey: true,
              bubbles: true,
              cancelable: true,
              clientX: 400,
              clientY: 150,
            }),
          );
        }),
      );
    const other = () => timed(() => bare(plain, { t0: 0, t1: length * (1 + (i % 2) / 10), zoom: 1, pan: 0 }));
    const [a, b] = i % 2 ? [ours(), other()] : [other(), ours()].reverse();
    if (i >= 8) {
      zoom.ours.push(a as number);
      zoom.bare.push(b as number);
    }
    await pause();
  }
  selectPoints(
    desk,
    shown().flatMap((s) => s.curve.keys.map((k) => pointOf(s, k))),
  );
  await pause();
  for (let i = 0; i < 16; i++) {
    const ours = timed(() => flushSync(() => nudgePoints(desk, 0, i % 2 ? 0.5 : -0.5)));
    const other = timed(() => {
      compile(desk.index, desk.state.preparation.body, desk.body());
      bare(shown(), { t0: 0, t1: length, zoom: 1, pan: 0 });
    });
    if (i >= 4) {
      nudge.ours.push(ours);
      nudge.bare.push(other);
    }
    await pause();
  }
  const of = (r: { ours: number[]; bare: number[] }) => ({ ours: median(r.ours), bare: median(r.bare) });
  return { points: desk.state.points.length, opened, zoom: of(zoom), nudge: of(nudge) };
}

Object.assign(window, { result: run() });
