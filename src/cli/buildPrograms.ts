import { build } from "esbuild";
import { PROGRAMS, SOURCES } from "../server/programs";

/**
 * Bundles what is started as a process of its own. From sources each would translate a hundred files first. In pieces:
 * what a program asks for later must not run before it is asked for.
 */
await build({
  entryPoints: Object.values(SOURCES),
  ...{ outdir: PROGRAMS, outbase: ".", bundle: true, splitting: true, format: "esm", platform: "node" },
  ...{ target: "node20", packages: "external", logLevel: "error", legalComments: "none" },
  // The folder is the framework's, and says that its files are of the old kind.
  outExtension: { ".js": ".mjs" },
  // Bundlers find it by the short name, Node by the whole one.
  alias: { "next/headers": "next/headers.js" },
});
