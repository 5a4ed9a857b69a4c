import type { Comment, Decision, Round } from "./said";

/** What one act in a round changed, as all who follow it hear it. */
export interface RoundNews {
  /** The round's version after it. */
  version: number;
  comment?: Comment;
  decision?: Decision;
}

/** News as a line, or a version alone. @throws SyntaxError for anything else */
export function newsFrom(line: string): RoundNews {
  const read = JSON.parse(line) as RoundNews | number;
  return typeof read === "number" ? { version: read } : read;
}

/**
 * A round with what was heard of it.
 * @returns null when more has happened than this tells, so that all of it has to be read
 */
export function withNews(round: Round, news: RoundNews): Round | null {
  if (news.version <= round.version) return round;
  const { comment, decision } = news;
  if (news.version !== round.version + 1 || (!comment && !decision)) return null;
  const next = { ...round, version: news.version };
  if (decision) next.decisions = [...round.decisions, decision];
  if (comment) {
    const known = round.comments.find((c) => c.id === comment.id);
    // Whoever made it may change it for some minutes; the server's clock, not this one's, says how long.
    const mine = !comment.takenBack && (known ? known.mine : comment.by.id === round.me.id);
    const told = { ...comment, mine };
    next.comments = known
      ? round.comments.map((c) => (c === known ? told : c))
      : [...round.comments, told].sort((a, b) => order(a.at, b.at) || order(a.id, b.id));
  }
  return next;
}

const order = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);
