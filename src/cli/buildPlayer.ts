import { readFileSync } from "node:fs";
import { copyFile, mkdir, writeFile } from "node:fs/promises";
import path from "node:path";
import { build, type Plugin } from "esbuild";
import { LETTER_SETS, LETTER_WEIGHTS, letterFile } from "../formats/out/sheets/fonts";

/** Most code that a page may carry, bytes before it is packed. */
export const PLAYER_MOST_BYTES = 700_000;

/** What would only make the code larger: schemas and edits, for what is in a page was checked and stays; texts of refusals. */
const lighter: Plugin = {
  name: "lighter",
  setup(b) {
    b.onResolve({ filter: /^(zod|immer)$/ }, () => ({ path: path.resolve("src/player/nothing.ts") }));
    b.onLoad({ filter: /core\/text\/refusals\.ts$/ }, () => ({
      contents: "export const REFUSALS = new Proxy({}, { get: (_, name) => () => String(name) });",
      loader: "ts",
    }));
    // Shaders are texts that no minifier looks into: their indents and the blanks round signs go.
    b.onLoad({ filter: /three\.module\.js$/ }, ({ path: file }) => ({
      contents: readFileSync(file, "utf8").replace(/"(?:[^"\\\n]|\\.){200,}"/g, slim),
      loader: "js",
    }));
    b.onLoad({ filter: /src\/stage\/.*\.ts$/ }, ({ path: file }) => ({
      contents: readFileSync(file, "utf8").replace(/\/\* glsl \*\/ `[^`]*`/g, (text) => text.replace(/\n\s+/g, "\n")),
      loader: "ts",
    }));
  },
};

/** Shaders, and parts of them, of surfaces and lights that nothing here is made of. */
const UNUSED =
  /^"(#define (LAMBERT|PHONG|TOON|MATCAP)\b|#ifdef USE_(TRANSMISSION|IRIDESCENCE)\b|#if NUM_LIGHT_PROBE_GRIDS\b|varying vec3 vViewPosition;\\n(varying vec3 vNormal;\\n)?struct (Lambert|BlinnPhong|Toon)Material\b|uniform float rotation;)/;

/** A shader as one literal. Lines for the preprocessor keep their blanks, which mean something there. */
function slim(literal: string): string {
  if (UNUSED.test(literal)) return '""';
  return literal
    .split("\\n")
    .map((line) => {
      const text = line.replace(/^(?:\\t|\s)+/, "");
      return /^"?#/.test(text) ? text : text.replace(/\s*([=+\-*/(),;{}<>?:&|])\s*/g, "$1");
    })
    .join("\\n");
}

/** The code of the page that is handed out, as one script. */
export async function playerCode(): Promise<string> {
  const made = await build({
    ...{ entryPoints: ["src/player/page/page.ts"], bundle: true, minify: true, write: false, format: "iife" },
    ...{ target: "es2022", plugins: [lighter], logLevel: "error", legalComments: "none" },
  });
  return made.outputFiles?.[0]?.text ?? "";
}

/** Where the files of our font are, and those that go into documents. */
export const LETTERS_FROM = "node_modules/@fontsource/ibm-plex-sans/files";
export const letterFiles = (): string[] =>
  LETTER_SETS.flatMap((set) =>
    LETTER_WEIGHTS.flatMap((weight) => (["woff", "woff2"] as const).map((ending) => letterFile(set, weight, ending))),
  );

/** Puts player and letters where the app serves them from. */
async function main(): Promise<void> {
  const code = await playerCode();
  if (Buffer.byteLength(code) > PLAYER_MOST_BYTES)
    throw new Error(`The player is ${Buffer.byteLength(code)} bytes, more than ${PLAYER_MOST_BYTES}.`);
  await mkdir("public/player", { recursive: true });
  await writeFile("public/player/page.js", code);
  await mkdir("public/player/letters", { recursive: true });
  for (const name of letterFiles()) await copyFile(`${LETTERS_FROM}/${name}`, `public/player/letters/${name}`);
}
if (process.argv[1]?.endsWith("buildPlayer.ts")) await main();
