import { type May, mayToo, type Voice } from "../../core/review/said";
import { type Actor, stillStands } from "../access/actor";
import { may, type Need, refusalOf } from "../access/matrix";
import { hashOfSecret } from "../access/secret";
import type { Row, Sql, Statement } from "../database/pool";
import { PeopleError } from "../people/problem";

/** Somebody at a round: a person of its workspace, or a guest with a link to it. */
export interface Reviewer extends Voice {
  round: string;
  workspaceId: string;
  /** The person; null for a guest. */
  actor: Actor | null;
  may: May;
}

/** Somebody at a round who was judged now, or a moment ago. */
export interface Judged {
  me: Reviewer;
  /**
   * Where it was a moment ago: the condition, as SQL, that the judgement still holds. What is done by it has to ask so
   * itself, in the same transaction; else it is to judge anew.
   */
  stands: Statement | null;
  /** Judged now, whoever was judged when. @throws as {@link reviewerAt} */
  sure(): Promise<Reviewer>;
}

/** The condition under which a judgement still holds. @param tokens what it was judged by */
export function standsStill(me: Reviewer, token: string | undefined, tokens: readonly string[]): Statement | null {
  if (me.actor) return token ? stillStands(token, me.actor, me.round) : null;
  return {
    sql: `EXISTS (SELECT 1 FROM review_guests g JOIN review_links l ON l.id = g.link_id
      WHERE g.token_hash IN (?) AND g.id = ? AND g.name = ? AND l.round_id = ? AND l.may = ? AND l.withdrawn_at IS NULL
      AND (l.expires_at IS NULL OR l.expires_at >= UTC_TIMESTAMP(3)))`,
    values: [tokens.map(hashOfSecret), me.id, me.name, me.round, me.may],
  };
}

/** What a guest has to be allowed for what a route needs; what is not here is for people of the workspace alone. */
const FOR_GUESTS: Partial<Record<Need, May>> = { "review.look": "look", "review.say": "comment" };

const GONE = "This round does not exist, or you may not see it.";

/**
 * Who is at a round.
 * @param standing who is signed in, asked for this round; null for nobody @param tokens of guests that the browser has
 * @throws PeopleError 401 for nobody, 403 for somebody who may not, 404 for a round that is not theirs, 410 for a guest
 * whose link has ended or leads to a later round
 */
export async function reviewerAt(
  sql: Sql,
  round: string,
  need: Need,
  standing: { actor: Actor; sees: boolean } | null,
  tokens: readonly string[],
): Promise<Reviewer> {
  const actor = standing?.actor ?? null;
  if (actor && standing?.sees) {
    if (!may(actor.role, need)) throw new PeopleError(403, refusalOf(actor.role, need));
    const { userId: id, userName: name, workspaceId } = actor;
    return { id, name, guest: false, round, workspaceId, actor, may: "decide" };
  }
  if (tokens.length > 0) {
    const [rows] = await sql.query<Row[]>(
      `SELECT g.id, g.name, l.round_id, l.may, p.workspace_id,
         l.withdrawn_at IS NOT NULL OR (l.expires_at IS NOT NULL AND l.expires_at < UTC_TIMESTAMP(3)) AS ended
       FROM review_guests g JOIN review_links l ON l.id = g.link_id JOIN rounds r ON r.id = l.round_id
       JOIN projects p ON p.id = r.project_id
       WHERE g.token_hash IN (?) AND r.document_id = (SELECT document_id FROM rounds WHERE id = ?)`,
      [tokens.map(hashOfSecret), round],
    );
    const good = rows.filter((r) => !r.ended);
    const own = good.find((r) => r.round_id === round) ?? good[0] ?? rows[0];
    if (own) {
      if (own.ended) throw new PeopleError(410, LINK_OVER);
      if (own.round_id !== round) throw new MovedOn(own.round_id);
      const has = own.may as May;
      const asked = FOR_GUESTS[need];
      if (!asked || !mayToo(has, asked))
        throw new PeopleError(403, "This link does not allow that. Ask whoever sent it.");
      return { id: own.id, name: own.name, guest: true, round, workspaceId: own.workspace_id, actor: null, may: has };
    }
  }
  if (!actor && tokens.length === 0)
    throw new PeopleError(401, "You are not signed in. Open the link that you were sent.");
  throw new PeopleError(404, GONE);
}

export const LINK_OVER = "This link is not valid, or no longer. Ask whoever sent it for another.";

/** A guest's link leads to a later round by now. */
export class MovedOn extends PeopleError {
  constructor(readonly round: string) {
    super(410, "There is a newer round. It is shown now.");
  }
}
