import { CommentSchema } from "../../../../../core/review/said";
import { database } from "../../../../../server/database/pool";
import { readJson, reviewed } from "../../../../../server/http/route";
import { addComment } from "../../../../../server/review/saying";

/** Adds a comment or an answer. */
export const POST = reviewed<{ round: string }>(
  "review.say",
  async ({ request, ...who }) => {
    await addComment(database(), who, await readJson(request, CommentSchema, 2 * 1024 * 1024));
    return Response.json({ ok: true }, { status: 201 });
  },
  true,
);
