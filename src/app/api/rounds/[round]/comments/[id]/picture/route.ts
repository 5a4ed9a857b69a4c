import { PICTURE_MAX_BYTES } from "../../../../../../../core/review/said";
import { database } from "../../../../../../../server/database/pool";
import { expectType, HttpError, idFrom, notFound, readBody, reviewed } from "../../../../../../../server/http/route";
import { keepPicture, pictureOf } from "../../../../../../../server/review/pictures";

/** The frame that a comment is about, as its writer saw it. */
export const GET = reviewed<{ round: string; id: string }>("review.look", async ({ me, params }) => {
  const jpeg = await pictureOf(database(), me, idFrom(params.id, "comment"));
  if (!jpeg) throw notFound("picture");
  // Not kept by the browser: what is taken back is gone.
  return new Response(new Uint8Array(jpeg), {
    headers: { "Content-Type": "image/jpeg", "Cache-Control": "private, no-store" },
  });
});

/** Keeps a JPEG with one's own comment, once. */
export const PUT = reviewed<{ round: string; id: string }>("review.say", async ({ me, params, request }) => {
  expectType(request, ["image/jpeg"]);
  const bytes = await readBody(request, PICTURE_MAX_BYTES);
  if (bytes[0] !== 0xff || bytes[1] !== 0xd8 || bytes[2] !== 0xff)
    throw new HttpError(400, "The picture is not a JPEG.");
  await keepPicture(database(), me, idFrom(params.id, "comment"), bytes);
  return Response.json({ ok: true });
});
