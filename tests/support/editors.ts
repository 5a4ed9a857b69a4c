import type { ChildProcess } from "node:child_process";
import { JSON_TYPE } from "../../src/cli/measure/client";
import { freshId } from "../../src/core/edit/id";
import type { Edit } from "../../src/core/edit/patches";
import type { LogAnswer } from "../../src/core/edit/replica";
import type { Database, Row } from "../../src/server/database/pool";

export const sleep = (ms: number) => new Promise((r) => setTimeout(r, ms));

/** An app process, as a proxy sees it. */
export interface App {
  url: string;
  child: ChildProcess;
  start(): Promise<ChildProcess>;
  /** Whether it said so when it was last asked how it is. */
  well: boolean;
}

/** People who edit by several apps. */
export interface Running {
  apps: App[];
  cookie: string;
  done: boolean;
  again: number;
  /** What was acknowledged: edit id to document, step and mark. */
  acknowledged: Map<string, { document: string; step: string; mark: string }>;
  /** Of each editor: since when they wait for an answer; null when they do not. */
  waiting: (number | null)[];
  /** Longest waits of the editors since it was last looked at, ms. */
  longest: number;
  random: () => number;
  /** The app that answered last. */
  last: number;
}

/** A request that is not answered so long is sent elsewhere, ms. */
const PATIENCE_MS = 2000;
/** How often it is asked how each app is, and how long an answer may take, ms. */
const LOOK_MS = 500;
const WELL_MS = 1000;

/** As a proxy does: asks the apps how they are, and leaves out whoever does not answer that they are well. */
export async function watch(state: Running, app: App): Promise<void> {
  while (!state.done) {
    app.well = await fetch(`${app.url}/api/health`, { signal: AbortSignal.timeout(WELL_MS) })
      .then(async (r) => {
        await r.text();
        return r.ok;
      })
      .catch(() => false);
    await sleep(LOOK_MS);
  }
}

/** Asks one app after the other until one answers what is wanted; each starts at one of their own. */
export async function call(
  state: Running,
  first: number,
  path: string,
  init: RequestInit,
  good: (r: Response) => boolean = (r) => r.ok,
): Promise<Response> {
  for (let n = 0; ; n++) {
    const app = (first + n) % state.apps.length;
    const it = state.apps[app] as App;
    if (!it.well && state.apps.some((a) => a.well)) continue;
    const r = await fetch(it.url + path, {
      ...init,
      headers: { Origin: it.url, cookie: state.cookie, ...(init.headers as Record<string, string>) },
      signal: AbortSignal.timeout(PATIENCE_MS),
    }).catch(() => null);
    if (r && good(r)) {
      state.last = app;
      return r;
    }
    if (r && r.status < 500 && r.status !== 429) throw new Error(`${path} was answered ${r.status}: ${await r.text()}`);
    await r?.text().catch(() => "");
    state.again++;
    if (state.done && n > 100) throw new Error(`${path} was never answered.`);
    await sleep(80);
  }
}

/** Writes edits as a desk does: in order, the same ones again until they are answered. */
export async function editing(state: Running, who: number, document: string, step: string): Promise<void> {
  let base = 0;
  for (let n = 0; !state.done; n++) {
    const mark = `w${who}n${n}`;
    const value = {
      ...{ id: "m", kind: "hand", name: mark, on: true, folder: null, colour: null, note: "" },
      ...{ target: { type: "node", key: "cube" }, keys: {} },
    };
    const edit: Edit = {
      id: freshId(),
      label: mark,
      patches: [{ op: "add", path: ["steps", step, "moves", "m"], value }],
    };
    const began = performance.now();
    state.waiting[who] = began;
    for (;;) {
      const r = await call(state, who, `/api/documents/${document}/edits`, {
        method: "POST",
        body: JSON.stringify({ base, edits: [edit] }),
        headers: JSON_TYPE,
      });
      // An answer that was cut off counts as none.
      const answer = (await r.json().catch(() => null)) as LogAnswer | null;
      if (!answer) continue;
      base = answer.revision;
      break;
    }
    state.acknowledged.set(edit.id, { document, step, mark });
    state.waiting[who] = null;
    state.longest = Math.max(state.longest, performance.now() - began);
    await sleep(300 + 300 * state.random());
  }
}

/** What a database has of edits that were acknowledged. */
export interface Log {
  /** Marks of edits that are not there, ids of those that are there more than once. */
  lost: string[];
  doubled: string[];
  /** Documents whose revisions do not follow one another: what a desk asks for since its own is all there is. */
  gaps: string[];
  /** Rows of each document, in order. */
  of: Map<string, Row[]>;
}

export async function logOf(pool: Database, acknowledged: Running["acknowledged"]): Promise<Log> {
  const [rows] = await pool.query<Row[]>(
    "SELECT document_id, revision, edit_id, label FROM edit_log ORDER BY document_id, revision",
  );
  const counts = new Map<string, number>();
  const of = new Map<string, Row[]>();
  for (const r of rows) {
    counts.set(r.edit_id, (counts.get(r.edit_id) ?? 0) + 1);
    const list = of.get(r.document_id);
    if (list) list.push(r);
    else of.set(r.document_id, [r]);
  }
  return {
    lost: [...acknowledged].filter(([id]) => !counts.has(id)).map(([, { mark }]) => mark),
    doubled: [...counts].filter(([, n]) => n > 1).map(([id]) => id),
    gaps: [...of].filter(([, log]) => log.some((r, i) => Number(r.revision) !== i + 1)).map(([d]) => d),
    of,
  };
}
