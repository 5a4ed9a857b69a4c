import { z } from "zod";
import { COMMENT_MAX, saidSchema } from "../../../../../../core/review/said";
import { may, refusalOf } from "../../../../../../server/access/matrix";
import { database } from "../../../../../../server/database/pool";
import { HttpError, idFrom, readJson, reviewed } from "../../../../../../server/http/route";
import { changeComment, settleComment } from "../../../../../../server/review/saying";

const Change = z.union([
  z.strictObject({ text: saidSchema("A comment", COMMENT_MAX).pipe(z.string().min(1)) }),
  z.strictObject({ settled: z.boolean(), edit: z.string().max(300).nullable() }),
]);

/** Changes one's own words, or, for those who make the sequence, settles the comment. */
export const PATCH = reviewed<{ round: string; id: string }>("review.say", async ({ me, params, request }) => {
  const id = idFrom(params.id, "comment");
  const asked = await readJson(request, Change, 65_536);
  if ("text" in asked) await changeComment(database(), me, id, asked.text);
  else {
    if (!me.actor) throw new HttpError(403, "Comments are settled by those who make the sequence.");
    if (!may(me.actor.role, "review.send")) throw new HttpError(403, refusalOf(me.actor.role, "review.send"));
    await settleComment(database(), me, id, asked.settled, asked.edit);
  }
  return Response.json({ ok: true });
});

/** Takes one's own comment back. */
export const DELETE = reviewed<{ round: string; id: string }>("review.say", async ({ me, params }) => {
  await changeComment(database(), me, idFrom(params.id, "comment"), null);
  return Response.json({ ok: true });
});
