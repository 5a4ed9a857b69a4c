import { createReadStream } from "node:fs";
import { stat } from "node:fs/promises";
import { Readable } from "node:stream";
import { PROJECT_FILE_EXTENSION } from "../../../../../formats/out/project/file";
import { database } from "../../../../../server/database/pool";
import { openSpool } from "../../../../../server/files/spool";
import { attachment, idFrom, notFound, route } from "../../../../../server/http/route";
import { saveProjectFile } from "../../../../../server/imports/openProject";
import { startRuntime } from "../../../../../server/runtime";

/** The whole project as one open file; `?rounds=1` with its rounds of review. */
export const GET = route<{ id: string }>("project.look", async ({ actor, params, request }) => {
  const id = idFrom(params.id, "project");
  const spool = await openSpool();
  try {
    const out = spool.path("project.zip");
    const withRounds = new URL(request.url).searchParams.get("rounds") === "1";
    const { kernels } = startRuntime();
    const name = await saveProjectFile(database(), kernels, actor, id, { out, withRounds }, spool);
    if (name === null) throw notFound("project");
    const { size } = await stat(out);
    const stream = createReadStream(out);
    stream.once("close", () => void spool.clear());
    // Node and the page each have a type of their own for the same web stream.
    return new Response(Readable.toWeb(stream) as unknown as BodyInit, {
      headers: {
        "Content-Type": "application/zip",
        "Content-Length": String(size),
        "Content-Disposition": attachment(`${name}${PROJECT_FILE_EXTENSION}`),
      },
    });
  } catch (error) {
    await spool.clear();
    throw error;
  }
});
