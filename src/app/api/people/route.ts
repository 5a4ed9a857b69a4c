import { database } from "../../../server/database/pool";
import { route } from "../../../server/http/route";
import { listInvitations } from "../../../server/people/invitations";
import { mailLeaves } from "../../../server/people/mail/sender";
import { listPeople } from "../../../server/people/people";

/** Everybody in the workspace, and the invitations that wait. */
export const GET = route("people.manage", async ({ actor }) => {
  const sql = database();
  return Response.json({
    own: actor.userId,
    people: await listPeople(sql, actor),
    invitations: await listInvitations(sql, actor),
    mailLeaves: mailLeaves(),
  });
});
