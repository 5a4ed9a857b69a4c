import { Newest } from "../newest";
import type { Reviewer } from "./voices";

/** So long it is worth asking whether a judgement still holds, ms: who works is noted as here once a minute. */
const LATELY_MS = 30_000;
const MOST = 5000;

/**
 * Who was judged lately, by what they came with. Nothing may be done by it alone: it saves finding out who somebody is,
 * not whether they may (see `Judged`).
 */
export class Lately {
  private readonly judged = new Newest<string, { me: Reviewer; until: number }>(MOST);

  /** @param now ms */
  get(key: string, now: number): Reviewer | null {
    const found = this.judged.get(key);
    return found && found.until > now ? found.me : null;
  }

  set(key: string, me: Reviewer, now: number): void {
    this.judged.set(key, { me, until: now + LATELY_MS });
  }

  forget(key: string): void {
    this.judged.delete(key);
  }
}
