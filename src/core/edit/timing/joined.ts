import { hand, type Key, type Sequence } from "../../document/sequence";

/** An arrival whose transition begins just where an earlier one arrives. */
interface Joint {
  move: string;
  step: string;
  earlier: string;
  later: string;
}

const shares = (a: Key, b: Key) =>
  Object.keys(a.values).some((c) => c in b.values) || (a.orientation !== undefined && b.orientation !== undefined);

/** The pairs of arrivals of these items' moves that run into one another with leads given in numbers. */
function jointsOf(draft: Sequence, items: readonly { step: string; move: string }[]): Joint[] {
  const out: Joint[] = [];
  const seen = new Set<string>();
  for (const { step, move: id } of items) {
    const move = hand(draft.steps[step]?.moves[id]);
    if (!move || seen.has(`${step} ${id}`)) continue;
    seen.add(`${step} ${id}`);
    const keys = Object.values(move.keys).sort((a, b) => a.at - b.at);
    keys.forEach((key, i) => {
      if (key.lead === "previous" || key.lead === 0) return;
      // The last one before it that changes something of it as well.
      let k = i - 1;
      while (k >= 0 && !((keys[k] as Key).at < key.at && shares(keys[k] as Key, key))) k--;
      const earlier = keys[k];
      if (earlier && Math.abs(key.at - key.lead - earlier.at) <= 1)
        out.push({ step, move: id, earlier: earlier.id, later: key.id });
    });
  }
  return out;
}

/**
 * Changes the times of some arrivals so that what came straight from the arrival before goes on doing so: where only
 * one of two that run into one another is moved, the later one's lead reaches to the earlier one's new time. Without
 * this a stop would open between them, or the lead would not fit any longer.
 */
export function keepJoined(draft: Sequence, moves: readonly { step: string; move: string }[], act: () => void): void {
  const joints = jointsOf(draft, moves);
  const timeOf = (j: Joint, key: string) => hand(draft.steps[j.step]?.moves[j.move])?.keys[key]?.at;
  const before = joints.map((j) => [timeOf(j, j.earlier), timeOf(j, j.later)] as const);
  act();
  joints.forEach((j, i) => {
    const later = hand(draft.steps[j.step]?.moves[j.move])?.keys[j.later];
    const [a, b] = [timeOf(j, j.earlier), timeOf(j, j.later)];
    const [was, wasLater] = before[i] as readonly [number, number];
    if (!later || a === undefined || b === undefined || later.lead === "previous") return;
    if (a - was !== b - wasLater && b >= a) later.lead = b - a;
  });
}
