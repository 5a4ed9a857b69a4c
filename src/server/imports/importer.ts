import type { Pool } from "mysql2/promise";
import type { Assembly } from "../../core/assembly/assembly";
import { IMPORT_DEFAULTS, type ImportSettings, settingsKey } from "../../core/assembly/importSettings";
import { decodePackage } from "../../core/assembly/package";
import type { ImportStage } from "../../formats/importError";
import { IMPORT_RECIPE } from "../../formats/read";
import type { Actor } from "../access/actor";
import type { Row } from "../database/pool";
import type { KernelPool } from "../kernel/pool";
import { getAsset, putAsset, shareAsset } from "../repositories/assets";
import { attachAssembly } from "../repositories/projects";
import { firstDocuments } from "./firstDocuments";

export interface ImportRequest {
  projectId: string;
  fileName: string;
  sourceSha256: string;
  settings?: ImportSettings;
  purpose?: "first" | "revision";
}

export interface ImportResult {
  assembly: Assembly;
  packageSha256: string;
}

/**
 * Turns a stored source file into a package, and unless it is read for a revision into the project's assembly: from the cache when the same bytes were read before with the
 * same recipe, else by a reader process. @throws ImportError, CancelledError
 */
export async function importSource(
  pool: Pool,
  kernels: KernelPool,
  actor: Pick<Actor, "workspaceId">,
  request: ImportRequest,
  onProgress: (stage: ImportStage, share: number | null) => void,
  signal?: AbortSignal,
): Promise<ImportResult> {
  const settings = request.settings ?? IMPORT_DEFAULTS;
  const recipe = recipeFor(request.fileName, settings);
  const source = Buffer.from(request.sourceSha256, "hex");
  const [cached] = await pool.query<Row[]>("SELECT HEX(package_sha256) AS sha FROM import_cache WHERE source_sha256 = ? AND recipe = ?", [source, recipe]);
  let packageSha: string;
  let assembly: Assembly;
  if (cached[0]) {
    packageSha = (cached[0].sha as string).toLowerCase();
    await shareAsset(pool, actor.workspaceId, packageSha);
    const bytes = await getAsset(pool, actor, packageSha);
    if (!bytes) throw new Error("A cached package is gone.");
    assembly = decodePackage(bytes).assembly;
  } else {
    const bytes = await getAsset(pool, actor, request.sourceSha256);
    if (!bytes) throw new Error("The uploaded file is gone.");
    const result = await kernels.read(bytes, request.fileName, onProgress, signal, settings);
    onProgress("store", null);
    packageSha = await putAsset(pool, actor, result.package);
    await pool.query("INSERT IGNORE INTO import_cache (source_sha256, recipe, package_sha256) VALUES (?, ?, ?)", [source, recipe, Buffer.from(packageSha, "hex")]);
    assembly = result.assembly;
  }
  onProgress("store", 0.8);
  if (request.purpose !== "revision") {
    const revision = { fileName: request.fileName, sourceSha256: request.sourceSha256, packageSha256: packageSha, settings, identities: {} };
    await attachAssembly(pool, actor, request.projectId, revision, firstDocuments(assembly));
  }
  return { assembly, packageSha256: packageSha };
}

/** The file's name becomes the assembly's, so it belongs to the key. */
function recipeFor(fileName: string, settings: ImportSettings): string {
  return `${IMPORT_RECIPE} ${settingsKey(settings)} ${fileName}`.slice(0, 100);
}
