import { open } from "node:fs/promises";
import type { Assembly } from "../../core/assembly/assembly";
import { IMPORT_DEFAULTS, type ImportSettings, settingsKey } from "../../core/assembly/importSettings";
import { decodeAssembly } from "../../core/assembly/package";
import type { ImportStage } from "../../formats/importError";
import { IMPORT_RECIPE } from "../../formats/read";
import type { Actor } from "../access/actor";
import type { Database, Row } from "../database/pool";
import { openSpool } from "../files/spool";
import type { KernelPool } from "../kernel/pool";
import { log } from "../log";
import { getAssetFile, putAssetFile, shareAsset } from "../repositories/assets";
import { packed } from "./packing";

export interface ImportRequest {
  fileName: string;
  sourceSha256: string;
  settings?: ImportSettings;
}

export interface ImportResult {
  assembly: Assembly;
  packageSha256: string;
  settings: ImportSettings;
}

/**
 * Turns a stored source file into a stored package: from the cache when the same bytes were read before with the same
 * recipe, else by a reader process. Files go over the disk, never through this process's memory.
 * @throws ImportError, CancelledError
 */
export async function importSource(
  pool: Database,
  kernels: KernelPool,
  actor: Pick<Actor, "workspaceId">,
  request: ImportRequest,
  onProgress: (stage: ImportStage, share: number | null) => void,
  signal?: AbortSignal,
): Promise<ImportResult> {
  const settings = request.settings ?? IMPORT_DEFAULTS;
  const recipe = recipeFor(request.fileName, settings);
  const source = Buffer.from(request.sourceSha256, "hex");
  const [cached] = await pool.query<Row[]>(
    "SELECT HEX(package_sha256) AS sha FROM import_cache WHERE source_sha256 = ? AND recipe = ?",
    [source, recipe],
  );
  const spool = await openSpool();
  const [given, made] = [spool.path("source"), spool.path("package")];
  try {
    if (cached[0]) {
      const packageSha256 = (cached[0].sha as string).toLowerCase();
      await shareAsset(pool, actor.workspaceId, packageSha256);
      if (!(await getAssetFile(pool, actor, packageSha256, made))) throw new Error("A cached package is gone.");
      return { assembly: await assemblyIn(made), packageSha256, settings };
    }
    if (!(await getAssetFile(pool, actor, request.sourceSha256, given))) throw new Error("The uploaded file is gone.");
    const { assembly } = await kernels.run(
      "source",
      { path: given, fileName: request.fileName, settings, out: made },
      { onProgress, signal },
    );
    onProgress("store", null);
    const packageSha256 = await putAssetFile(pool, actor, made);
    await pool.query("INSERT IGNORE INTO import_cache (source_sha256, recipe, package_sha256) VALUES (?, ?, ?)", [
      source,
      recipe,
      Buffer.from(packageSha256, "hex"),
    ]);
    onProgress("store", 0.8);
    // Whoever opens it first need not wait for that. Where it fails, it is tried again then.
    await packed(pool, kernels, actor, packageSha256).catch((error) => log().error({ err: error }, "packing"));
    return { assembly, packageSha256, settings };
  } finally {
    await spool.clear();
  }
}

/** The assembly document of a package file, without its geometry. */
async function assemblyIn(path: string): Promise<Assembly> {
  const file = await open(path);
  try {
    const head = Buffer.alloc(20);
    await file.read(head, 0, 20, 0);
    const json = Buffer.alloc(20 + head.readUInt32LE(12));
    await file.read(json, 0, json.length, 0);
    return decodeAssembly(json);
  } finally {
    await file.close();
  }
}

/** The file's name becomes the assembly's, so it belongs to the key. */
function recipeFor(fileName: string, settings: ImportSettings): string {
  return `${IMPORT_RECIPE} ${settingsKey(settings)} ${fileName}`.slice(0, 100);
}
