import { readFileSync } from "node:fs";
import { writeFile } from "node:fs/promises";
import path from "node:path";
import { deflateSync } from "fflate";
import { demoPreparation } from "../../../demo/preparation";
import { demoSequences } from "../../../demo/sequences";
import { indexAssembly } from "../../core/assembly/assembly";
import { type AssemblyPackage, encodePackage } from "../../core/assembly/package";
import { preparedAssembly } from "../../core/assembly/prepared";
import { published } from "../../core/document/published";
import { lookNow } from "../../core/edit/preparationCommands";
import { lightsBytes } from "../../core/light/keptLight";
import { sheets } from "../../core/outputs/sheets";
import { compile } from "../../core/program/compile";
import { pose } from "../../core/program/pose";
import type { Program } from "../../core/program/program";
import { createPose } from "../../core/program/sampling";
import { lightsWorn } from "../../core/program/timedLook";
import { base64, pageHtml } from "../../formats/out/page/html";
import { STYLE } from "../../player/page/style";
import { browserTools } from "../browserTools";
import { LETTERS_FROM, playerCode } from "../buildPlayer";
import { type Measurement, median } from "./measurement";
import { demoPackage } from "./proof";

const ROUNDS = 7;
/** So many that what runs every frame is compiled, as it is a few seconds into a film. */
const FRAMES = 120;
const [WIDTH, HEIGHT] = [960, 540];
const SMALL = { width: 400, height: 225 };

/** The demo as a page, and as a page with three.js and the same model and nothing else; both opened from disk. */
export async function measurePage(): Promise<Measurement[]> {
  const pkg = await demoPackage();
  const preparation = demoPreparation(indexAssembly(pkg.assembly));
  const index = indexAssembly(preparedAssembly(pkg.assembly, preparation));
  const [sequence] = demoSequences(index, preparation);
  if (!sequence) throw new Error("The demo has a sequence.");
  const program = compile(index, preparation, sequence);
  const model = encodePackage(pkg);
  const look = lookNow(preparation);
  const lights = lightsWorn(program, look);
  const range = { from: 0, to: program.steps.length };
  const film = {
    ...{
      assembly: index.assembly,
      preparation,
      sequence: published(sequence, false),
      look,
      lights,
      range,
    },
    parts: true,
  };
  const html = await pageHtml({
    ...{ title: "Demo", about: "", steps: [], style: STYLE, font: null, film, model, sounds: [] },
    light: lightsBytes(lights),
    code: await playerCode(),
  });
  const { bundle, launch } = await browserTools();
  const at = createPose(program);
  pose(program, 0, at);
  const packed = (bytes: Uint8Array) => base64(deflateSync(bytes, { level: 9 }));
  const few = new TextEncoder().encode(JSON.stringify({ assembly: index.assembly, camera: [...at.camera] }));
  const code = new TextDecoder().decode(await bundle("bench/bare.page.ts"));
  const bare = [
    '<!doctype html><meta charset="utf-8"><style>body{margin:0}canvas{width:100vw;height:100vh}</style>',
    `<canvas id="picture"></canvas><script type="text/plain" id="model">${packed(model)}</script>`,
    `<script type="text/plain" id="film">${packed(few)}</script><script>${code.replaceAll("</script", "<\\/script")}</script>`,
  ].join("");
  const files = { ours: path.resolve("var/measured-page.html"), bare: path.resolve("var/measured-bare.html") };
  await writeFile(files.ours, html);
  await writeFile(files.bare, bare);
  const start = { ours: [] as number[], bare: [] as number[] };
  const frame = { ours: [] as number[], bare: [] as number[] };
  const browser = await launch();
  try {
    for (let round = 0; round < ROUNDS; round++)
      for (const which of ["ours", "bare"] as const) {
        const tab = await browser.newPage({ viewport: { width: WIDTH, height: HEIGHT } });
        await tab.goto(`file://${files[which]}#measured`);
        await tab.waitForFunction(() => "firstPicture" in window, null, { timeout: 120_000 });
        const first = await tab.evaluate(() => (window as unknown as { firstPicture: number }).firstPicture);
        // The script of a frame is the same at any size, and of a small one there are enough in a minute.
        await tab.setViewportSize(SMALL);
        const script = await tab.evaluate(async (n) => {
          const { drawFrame, finishFrame } = window as unknown as { drawFrame(i: number): void; finishFrame(): void };
          const times: number[] = [];
          for (let i = 0; i < n; i++) {
            await new Promise(requestAnimationFrame);
            const began = performance.now();
            drawFrame(i);
            times.push(performance.now() - began);
            // What the drawing processes of a machine without a graphics card take is not the script's.
            finishFrame();
          }
          // The clock of a page is coarse: the mean of the middle half says more than the middle one.
          const middle = times.sort((a, b) => a - b).slice(n >> 2, n - (n >> 2));
          return middle.reduce((sum, ms) => sum + ms, 0) / middle.length;
        }, FRAMES);
        await tab.close();
        if (round === 0) continue;
        start[which].push(first);
        frame[which].push(script);
      }
  } finally {
    await browser.close();
  }
  const row = (name: string, of: typeof start, note: string): Measurement => {
    const [ours, reference] = [median(of.ours), median(of.bare)];
    return { name, ours, reference, ratio: ours / reference, unit: "ms", note };
  };
  const size = `page ${(html.length / 1e6).toFixed(2)} MB without pictures of steps, bare ${(bare.length / 1e6).toFixed(2)} MB`;
  return [
    row("page-start", start, `from disk to the first complete picture, ${WIDTH} x ${HEIGHT}; ${size}`),
    row("page-frame", frame, "script of a frame while it plays"),
    ...(await sheetSizes(program, pkg, html.length)),
  ];
}

/** The demo's step sheets as line drawings, against its page: bytes, as they are handed over. */
async function sheetSizes(program: Program, pkg: AssemblyPackage, page: number): Promise<Measurement[]> {
  const { makeSheets } = await import("../../workers/outputs/sheets");
  const size = async (format: "pdf" | "html") => {
    let bytes = 0;
    await makeSheets(
      { ...sheets.defaults(program), format, style: "lines" },
      {
        ...{ program, pkg, range: { from: 0, to: program.steps.length }, looks: {}, plain: false },
        ...{ preparation: program.preparation, signal: new AbortController().signal, tell: () => {} },
        sink: {
          write: (_, data) => {
            bytes += data.length;
          },
          finish: async () => new Blob(),
          drop: async () => {},
        },
        pcmOf: () => null,
        fileOf: async (name) => new Uint8Array(readFileSync(`${LETTERS_FROM}/${name.replace("letters ", "")}`)),
      },
    );
    return bytes;
  };
  const [pdf, html] = [await size("pdf"), await size("html")];
  const note = `sheets in lines against the page; as HTML ${(html / 1e3).toFixed(0)} kB`;
  return [{ name: "sheet-size", ours: pdf / 1e3, reference: page / 1e3, ratio: pdf / page, unit: "kB", note }];
}
