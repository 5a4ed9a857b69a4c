import fc from "fast-check";
import { afterAll, beforeAll, expect, test } from "vitest";
import type { Sequence } from "../../src/core/document/sequence";
import { freshId } from "../../src/core/edit/id";
import { type Edit, patched } from "../../src/core/edit/patches";
import { ApiError } from "../../src/desk/api";
import type { Send } from "../../src/desk/documents/exchange";
import { MemoryOutbox } from "../../src/desk/documents/outbox";
import { recover } from "../../src/desk/documents/recover";
import { Saver } from "../../src/desk/documents/saver";
import type { Actor } from "../../src/server/access/actor";
import type { Database, Row } from "../../src/server/database/pool";
import { appendEdits, forgetBodies, listDocuments } from "../../src/server/repositories/documentStore";
import { peopledDatabase } from "../support/database";
import { storeProject } from "../support/project";

let db: Awaited<ReturnType<typeof peopledDatabase>>;
let pool: Database;
let actor: Actor;
beforeAll(async () => {
  db = await peopledDatabase();
  ({ pool, actor } = db);
});
afterAll(() => db?.end());

/** How the network treats a request: it may vanish, its answer may vanish, and it may arrive once more, much later. */
type Fate = "fine" | "request lost" | "answer lost" | "late again";
type Act =
  | { do: "edit"; who: number; what: number }
  /** `meanwhile`: an edit is made while the request is on its way. */
  | { do: "send"; who: number; fate: Fate; meanwhile: number | null }
  | { do: "reload"; who: number; fate: Fate }
  | { do: "late" }
  | { do: "server restarts" };

const acts: fc.Arbitrary<Act> = fc.oneof(
  {
    weight: 5,
    arbitrary: fc.record({ do: fc.constant("edit" as const), who: fc.nat(3), what: fc.constantFrom(0, 1, 2, 3, 4, 5) }),
  },
  {
    weight: 6,
    arbitrary: fc.record({
      do: fc.constant("send" as const),
      who: fc.nat(3),
      fate: fc.constantFrom<Fate>("fine", "fine", "request lost", "answer lost", "late again"),
      meanwhile: fc.constantFrom(null, null, 0, 1, 2, 3, 4),
    }),
  },
  {
    weight: 1,
    arbitrary: fc.record({
      do: fc.constant("reload" as const),
      who: fc.nat(3),
      fate: fc.constantFrom<Fate>("fine", "request lost", "answer lost"),
    }),
  },
  { weight: 1, arbitrary: fc.record({ do: fc.constant("late" as const) }) },
  { weight: 1, arbitrary: fc.record({ do: fc.constant("server restarts" as const) }) },
);

interface Made {
  id: string;
  who: number;
  /** The field that people may fight over, or null for an edit that nobody else can meet. */
  field: string | null;
  /** Revision that its maker had seen. */
  seen: number;
  /** A name that is found again wherever the edit went. */
  mark: string;
}

/** One browser: storage that outlasts the page, and the page. */
class Client {
  readonly outbox = new MemoryOutbox();
  readonly copies: string[] = [];
  saver!: Saver;
  body!: Sequence;
  base = 0;
  private session = freshId();
  fate: Fate = "fine";
  meanwhile: (() => void) | null = null;

  constructor(
    readonly who: number,
    private readonly project: string,
    private readonly document: string,
    private readonly late: (() => Promise<unknown>)[],
  ) {}

  private send: Send = async (document, base, edits) => {
    const call = async () => {
      const r = await appendEdits(pool, actor, document, base, JSON.parse(JSON.stringify(edits)) as Edit[]);
      if (r.ok) return { revision: r.revision, log: r.log };
      if (r.reason === "conflict") throw new ApiError(409, "conflict", { revision: r.revision, log: r.log });
      throw new ApiError(r.reason === "gone" ? 404 : 422, r.reason, r);
    };
    const fate = this.fate;
    this.fate = "fine";
    if (fate === "request lost") throw new ApiError(0, "lost", null);
    if (fate === "late again") this.late.push(() => call().catch(() => {}));
    if (fate === "answer lost") {
      await call().catch(() => {});
      throw new ApiError(0, "lost", null);
    }
    const making = this.meanwhile;
    this.meanwhile = null;
    const answer = await call().catch((error: ApiError) => {
      // A conflict tells as much as a success.
      if (error.status === 409) {
        making?.();
        this.base = (error.body as { revision: number }).revision;
      }
      throw error;
    });
    making?.();
    this.base = answer.revision;
    return answer;
  };

  async open(fate: Fate = "fine"): Promise<void> {
    this.session = freshId();
    this.fate = fate;
    // A page that cannot reach the server does not open; it is opened again.
    const options = {
      project: this.project,
      documents: [{ id: this.document, name: "x" }],
      outbox: this.outbox,
      send: this.send,
      living: async () => new Set<string>(),
    };
    await recover(options).catch(() => recover(options));
    const [found] = (await listDocuments(pool, actor, this.project)).filter((d) => d.id === this.document);
    this.body = found?.body as Sequence;
    this.base = found?.revision as number;
    this.saver = new Saver(
      {
        onStatus: () => {},
        onRebased: (_, body) => {
          this.body = body as Sequence;
        },
        onClash: async (_, body, mine) => {
          this.body = body as Sequence;
          // Storing the copy fails now and then, as it may.
          if (this.copies.length % 3 === 2) return false;
          this.copies.push(JSON.stringify(mine));
          return true;
        },
        onAside: (_, body) => {
          if (body) this.body = body as Sequence;
        },
      },
      {
        project: this.project,
        session: this.session,
        outbox: this.outbox,
        send: this.send,
        nameOf: () => "x",
        auto: false,
      },
    );
    this.saver.track(this.document, this.base, this.body);
  }

  edit(what: number, n: number): Made {
    const mark = `m${this.who}x${n}`;
    const step = what % 2 ? "s1" : "s0";
    const field = what < 4 ? `${step}.title` : null;
    const patches: Edit["patches"] = [
      {
        op: "add",
        path: ["steps", step, "moves", mark],
        value: {
          id: mark,
          kind: "hand",
          name: mark,
          on: true,
          folder: null,
          colour: null,
          note: "",
          target: { type: "node", key: "root/base" },
          keys: {},
        },
      },
    ];
    if (field) patches.push({ op: "replace", path: ["steps", step, "title"], value: mark });
    const edit: Edit = { id: freshId(), label: mark, patches };
    this.body = patched(this.body, patches);
    this.saver.add(this.document, edit);
    return { id: edit.id, who: this.who, field, seen: this.base, mark };
  }

  async sendOnce(fate: Fate, meanwhile: (() => void) | null = null): Promise<void> {
    this.fate = fate;
    this.meanwhile = meanwhile;
    await this.saver.sendOnce(this.document);
    this.fate = "fine";
    this.meanwhile = null;
  }
}

test("whatever is lost, sent twice, delayed or restarted: all see the same, and each edit is applied once or kept where its maker finds it", async () => {
  let clashes = 0;
  let rebased = 0;
  await fc.assert(
    fc.asyncProperty(
      fc.integer({ min: 2, max: 4 }),
      fc.array(acts, { minLength: 25, maxLength: 70, size: "max" }),
      async (people, list) => {
        const project = await storeProject(pool, actor);
        const start = (await listDocuments(pool, actor, project)).find((d) => d.kind === "sequence") as {
          id: string;
          body: Sequence;
        };
        const late: (() => Promise<unknown>)[] = [];
        const clients = Array.from({ length: people }, (_, who) => new Client(who, project, start.id, late));
        for (const c of clients) await c.open();
        const made: Made[] = [];
        for (const act of list) {
          const client = "who" in act ? (clients[act.who % people] as Client) : null;
          if (act.do === "edit") made.push(client?.edit(act.what, made.length) as Made);
          else if (act.do === "send")
            await client?.sendOnce(
              act.fate,
              act.meanwhile === null
                ? null
                : () => made.push((client as Client).edit(act.meanwhile as number, made.length)),
            );
          else if (act.do === "reload") await client?.open(act.fate);
          else if (act.do === "late") await late.shift()?.();
          else forgetBodies();
        }
        // The network is well again; everybody sends what is left, and one edit more, to hear of the others.
        for (let round = 0; round < 2; round++) {
          for (const c of clients) {
            made.push(c.edit(5, made.length));
            for (let i = 0; c.saver.status.waiting > 0; i++) {
              expect(i).toBeLessThan(20);
              await c.sendOnce("fine");
            }
          }
        }
        for (const again of late) await again();

        const [rows] = await pool.query<Row[]>(
          "SELECT revision, edit_id, patches FROM edit_log WHERE document_id = ? ORDER BY revision",
          [start.id],
        );
        const states: Sequence[] = [start.body];
        for (const r of rows) states.push(patched(states.at(-1) as Sequence, JSON.parse(r.patches)));
        const after = (await listDocuments(pool, actor, project)).find((d) => d.id === start.id);
        expect(after?.body).toEqual(states.at(-1));
        // What each page shows is what the log says, up to where it has heard.
        for (const c of clients) expect(c.body).toEqual(states[c.base]);
        const applied = new Map(rows.map((r) => [r.edit_id as string, r.revision as number]));
        expect(applied.size).toBe(rows.length);
        for (const m of made) {
          const client = clients[m.who] as Client;
          const asides = [...client.outbox.aside.values()].filter((a) => a.edits.some((e) => e.id === m.id)).length;
          const copied = client.copies.some((c) => c.includes(`"${m.mark}"`)) ? 1 : 0;
          if (applied.has(m.id)) expect(asides).toBe(0);
          else {
            expect(asides + copied).toBeGreaterThan(0);
            clashes++;
          }
        }
        for (const c of clients) expect(c.outbox.edits.size).toBe(0);
        // Nobody wrote over what they had not seen.
        for (const m of made) {
          const at = applied.get(m.id);
          if (at === undefined || m.field === null) continue;
          for (const other of made) {
            const before = applied.get(other.id);
            if (other.who !== m.who && other.field === m.field && before !== undefined && before < at)
              expect(before).toBeLessThanOrEqual(m.seen);
          }
          if (
            rows.some(
              (r) => r.revision < at && r.revision > m.seen && made.find((o) => o.id === r.edit_id)?.who !== m.who,
            )
          )
            rebased++;
        }
      },
    ),
    {
      numRuns: Number(process.env.PLEXTAN_SEARCH ?? 0) > 0 ? 300 : 25,
      seed: process.env.PLEXTAN_SEARCH ? Date.now() : 20_261_127,
      endOnFailure: true,
    },
  );
  // The test has met what it is about.
  expect(clashes).toBeGreaterThan(20);
  expect(rebased).toBeGreaterThan(20);
});
