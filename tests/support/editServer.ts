import { type Edit, meet, patched } from "../../src/core/edit/patches";
import type { LogAnswer } from "../../src/core/edit/replica";

/** A server of one document in memory, as clients see it through fetch: takes, rebases, refuses, or is away. */
export class EditServer<T extends object> {
  revision = 0;
  log: (Edit & { revision: number })[] = [];
  down = false;
  /** Ids or labels of edits that are refused for good. */
  readonly refused = new Set<string>();
  /** Documents that were made. */
  documents: unknown[] = [];
  /** Whether copies can be stored. */
  full = false;
  /** Most edits of one request. */
  most = 500;
  requests = 0;

  constructor(public body: T) {}

  /** Appends edits as somebody would. */
  apply(edits: readonly Edit[]): void {
    for (const e of edits) {
      if (this.log.some((l) => l.id === e.id)) continue;
      this.body = patched(this.body, e.patches);
      this.log.push({ ...e, revision: ++this.revision });
    }
  }

  answer = async (path: string, init?: RequestInit): Promise<Response> => {
    this.requests++;
    if (this.down) throw new TypeError("failed");
    const body = init?.body ? JSON.parse(String(init.body)) : null;
    if (path.endsWith("/edits")) return this.edits(body);
    if (this.full) return Response.json({ error: "No room." }, { status: 507 });
    this.documents.push(body);
    return Response.json({ id: "copy" }, { status: 201 });
  };

  private edits({ base, edits }: { base: number; edits: Edit[] }): Response {
    if (edits.length > this.most) return Response.json({ error: "Too many." }, { status: 400 });
    const bad = edits.find((e) => this.refused.has(e.id) || this.refused.has(e.label));
    if (bad) return Response.json({ error: "It is not valid.", edit: bad.id }, { status: 422 });
    const mine = new Set(edits.map((e) => e.id));
    const answer = (): LogAnswer => ({
      revision: this.revision,
      log: this.log
        .filter((l) => l.revision > base)
        .map((l) => ({ revision: l.revision, id: l.id, patches: mine.has(l.id) ? null : (l.patches as never) })),
    });
    const fresh = edits.filter((e) => !this.log.some((l) => l.id === e.id));
    const foreign = this.log.filter((l) => l.revision > base && !mine.has(l.id)).flatMap((l) => l.patches);
    if (
      meet(
        foreign,
        fresh.flatMap((e) => e.patches),
      )
    )
      return Response.json({ error: "Someone else changed this meanwhile.", ...answer() }, { status: 409 });
    this.apply(fresh);
    return Response.json(answer());
  }
}
