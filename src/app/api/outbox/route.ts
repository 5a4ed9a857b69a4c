import { database } from "../../../server/database/pool";
import { route } from "../../../server/http/route";
import { readOutbox } from "../../../server/people/mail/outbox";
import { mailLeaves } from "../../../server/people/mail/sender";

/** The mail that lies in the stand-in's box. */
export const GET = route("outbox.look", async ({ actor }) =>
  Response.json({ mail: await readOutbox(database(), actor), mailLeaves: mailLeaves() }),
);
