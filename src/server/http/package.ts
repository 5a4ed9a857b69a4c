import { z } from "zod";
import type { Actor } from "../access/actor";
import { database } from "../database/pool";
import { packed } from "../imports/packing";
import { streamAsset } from "../repositories/assets";
import { startRuntime } from "../runtime";
import { HttpError, notFound } from "./route";

/** `glb`: as it is stored, for other programs. `wire`: as our own pages take it, see formats/wire. */
const Query = z.object({ as: z.enum(["glb", "wire"]).default("glb") });

/**
 * An assembly's package, sent piece by piece. Content-addressed, so a browser need not fetch it twice.
 * @throws HttpError 400 or 404
 */
export async function packageResponse(
  request: Request,
  actor: Pick<Actor, "workspaceId">,
  sha256: string,
): Promise<Response> {
  const query = Query.safeParse(Object.fromEntries(new URL(request.url).searchParams));
  if (!query.success) throw new HttpError(400, "An assembly is sent as glb or as wire: ?as=glb.");
  const wire = query.data.as === "wire";
  const tag = `"${sha256}${wire ? "-wire" : ""}"`;
  if (request.headers.get("if-none-match") === tag) return new Response(null, { status: 304, headers: { ETag: tag } });
  const sent = wire ? await packed(database(), startRuntime().kernels, actor, sha256) : sha256;
  const found = sent && (await streamAsset(database(), actor, sent));
  if (!found) throw notFound("assembly");
  return new Response(found.body, {
    headers: {
      "Content-Type": wire ? "application/octet-stream" : "model/gltf-binary",
      "Content-Length": String(found.size),
      ETag: tag,
      // Packed as well as it can be: packing it once more costs time and gains nothing.
      "Cache-Control": "private, no-cache, no-transform",
    },
  });
}
