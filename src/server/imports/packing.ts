import type { Actor } from "../access/actor";
import type { Database, Row } from "../database/pool";
import { openSpool } from "../files/spool";
import type { KernelPool } from "../kernel/pool";
import { getAssetFile, putAssetFile, shareAsset } from "../repositories/assets";

/** Changes when the way in which packages are packed does; what was packed another way is packed anew. */
const PACKING = "wire 1";

type Owner = Pick<Actor, "workspaceId">;

/** What is being packed in this process: whoever asks for the same meanwhile waits for it. */
const packing = new Map<string, Promise<string | null>>();

/**
 * The package as it is sent, see formats/wire: packed once by a reader process and kept. @returns its hash, or null
 * when there is no such package that the actor's workspace may see
 */
export function packed(
  pool: Database,
  kernels: Pick<KernelPool, "run">,
  actor: Owner,
  packageSha256: string,
): Promise<string | null> {
  const key = `${actor.workspaceId} ${packageSha256}`;
  const known = packing.get(key);
  if (known) return known;
  const made = pack(pool, kernels, actor, packageSha256).finally(() => packing.delete(key));
  packing.set(key, made);
  return made;
}

async function pack(
  pool: Database,
  kernels: Pick<KernelPool, "run">,
  actor: Owner,
  packageSha256: string,
): Promise<string | null> {
  const sha = Buffer.from(packageSha256, "hex");
  const [known] = await pool.query<Row[]>(
    `SELECT HEX(p.packed_sha256) AS packed, own.sha256 IS NOT NULL AS own FROM packed_packages p
       JOIN asset_owners o ON o.sha256 = p.package_sha256 AND o.workspace_id = ?
       LEFT JOIN asset_owners own ON own.sha256 = p.packed_sha256 AND own.workspace_id = o.workspace_id
     WHERE p.package_sha256 = ? AND p.recipe = ?`,
    [actor.workspaceId, sha, PACKING],
  );
  if (known[0]) {
    const found = (known[0].packed as string).toLowerCase();
    // Another workspace had the same package before.
    if (!known[0].own) await shareAsset(pool, actor.workspaceId, found);
    return found;
  }
  const spool = await openSpool();
  try {
    const [from, out] = [spool.path("package"), spool.path("packed")];
    if (!(await getAssetFile(pool, actor, packageSha256, from))) return null;
    await kernels.run("pack", { package: from, out });
    const made = await putAssetFile(pool, actor, out);
    await pool.query("INSERT IGNORE INTO packed_packages (package_sha256, recipe, packed_sha256) VALUES (?, ?, ?)", [
      sha,
      PACKING,
      Buffer.from(made, "hex"),
    ]);
    return made;
  } finally {
    await spool.clear();
  }
}
