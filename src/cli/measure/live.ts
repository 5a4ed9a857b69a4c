import { fork } from "node:child_process";
import { readFile, rm } from "node:fs/promises";
import { freshId } from "../../core/edit/id";
import { newsFrom } from "../../core/review/news";
import { openPool, type Row } from "../../server/database/pool";
import { serve } from "../serve";
import { documentsOf, type LoadedDocument, openProject, signedIn } from "./client";
import type { Measurement } from "./measurement";
import { smallProject } from "./smallProject";

const READERS = 50;
const EVERY_MS = 200;
const SECONDS = 30;

/** Hears one stream of events until it is told to stop; comes again when it ends, as browsers do. */
async function hear(
  url: string,
  headers: Record<string, string>,
  told: (data: string) => void,
  stop: AbortSignal,
): Promise<void> {
  while (!stop.aborted)
    try {
      const response = await fetch(url, { headers, signal: stop });
      const reader = (response.body as ReadableStream<Uint8Array>).getReader();
      const text = new TextDecoder();
      let rest = "";
      for (;;) {
        const { done, value } = await reader.read();
        if (done) break;
        const lines = (rest + text.decode(value, { stream: true })).split("\n\n");
        rest = lines.pop() ?? "";
        for (const line of lines) if (line.startsWith("data: ")) told(line.slice(6));
      }
    } catch {
      if (!stop.aborted) await new Promise((r) => setTimeout(r, 100));
    }
}

/** The time that so many of 100 took at most, ms. */
const within = (times: number[], share: number): number =>
  times.sort((a, b) => a - b)[Math.floor((times.length * share) / 100)] ?? 0;

/** The memory of a process, MB. */
const memoryOf = async (pid: number): Promise<number> =>
  Number(/VmRSS:\s+(\d+)/.exec(await readFile(`/proc/${pid}/status`, "utf8"))?.[1] ?? 0) / 1024;

/** Comments in a round that 50 listen to, against a bare server that sends the same to as many. */
export async function measureLive(): Promise<Measurement[]> {
  const folder = "var/measure-live";
  await rm(folder, { recursive: true, force: true });
  const served = await serve({
    databaseFolder: folder,
    seed: false,
    env: { PLEXTAN_READERS: "0", PLEXTAN_REQUESTS_A_MINUTE: "1000000" },
  });
  const pool = openPool(served.database.address, 2);
  try {
    const client = await signedIn(served.url);
    const project = await openProject(client, smallProject(3));
    const documents = await documentsOf<{ stepOrder?: string[]; steps?: Record<string, { on: boolean }> }>(
      client,
      project,
    );
    const of = (kind: string) => documents.find((d) => d.kind === kind) as LoadedDocument<{ stepOrder: string[] }>;
    const [sequence, preparation] = [of("sequence"), of("preparation")];
    const post = async (path: string, body: unknown) => {
      const r = await client.call(path, {
        method: "POST",
        body: JSON.stringify(body),
        headers: { "Content-Type": "application/json" },
      });
      if (!r.ok) throw new Error(`${path} was answered ${r.status}: ${await r.text()}`);
      return (await r.json()) as Record<string, string>;
    };
    const steps = sequence.body.stepOrder;
    const print = { words: "w", time: "t", motion: "m" };
    const { round } = await post(`/api/projects/${project}/rounds`, {
      ...{ sequence: sequence.id, note: "", prints: steps.map((s) => [s, print]), keepLinks: false },
      revisions: { sequence: sequence.revision, preparation: preparation.revision },
    });
    const cookie = client.cookie;
    const before = await memoryOf(served.app.pid as number);

    // Ours: a comment raises the round's version; a reader has it once it has heard of that version.
    const stop = new AbortController();
    const saidAt = new Map<number, number>();
    const ours: number[] = [];
    let whole = 0;
    const seen = new Array<number>(READERS).fill(0);
    // Readers are machines of their own: what fifty of them make of a line is looked at afterwards, or the last would
    // wait here for the other forty-nine.
    const heardAt: [reader: number, at: number, data: string][] = [];
    const readers = seen.map((_, i) =>
      hear(
        `${served.url}/api/rounds/${round}/feed`,
        { Cookie: cookie },
        (data) => heardAt.push([i, performance.now(), data]),
        stop.signal,
      ),
    );
    // Bare: takes the same by post and passes all of it on the moment it has it, as ours does.
    const bare = fork("src/cli/measure/bareEvents.ts", { execArgv: ["--import", "tsx"] });
    const port = await new Promise<number>((r, no) => {
      bare.once("message", (p) => r(p as number));
      bare.once("exit", () => no(new Error("The bare server did not start.")));
    });
    const stopBare = new AbortController();
    const bareAt = new Map<number, number>();
    const reference: number[] = [];
    const address = `http://127.0.0.1:${port}`;
    const heardBareAt: [at: number, data: string][] = [];
    const heardBare = (data: string) => void heardBareAt.push([performance.now(), data]);
    const bareReaders = seen.map(() => hear(address, {}, heardBare, stopBare.signal));
    await new Promise((r) => setTimeout(r, 1500));
    const comment = { to: null, text: "x", step: steps[0], from: 0, until: 0, pin: null, seen: null, strokes: [] };
    // In turn, so that what else the machine does meets both alike.
    for (let i = 1; i <= (SECONDS * 1000) / EVERY_MS; i++) {
      const began = performance.now();
      saidAt.set(i, began);
      await post(`/api/rounds/${round}/comments`, { ...comment, id: freshId() });
      await new Promise((r) => setTimeout(r, Math.max(0, EVERY_MS / 2 - (performance.now() - began))));
      bareAt.set(i, performance.now());
      await (await fetch(address, { method: "POST", body: JSON.stringify({ ...comment, n: i }) })).text();
      await new Promise((r) => setTimeout(r, Math.max(0, EVERY_MS - (performance.now() - began))));
    }
    await new Promise((r) => setTimeout(r, 2000));
    stop.abort();
    await Promise.all(readers);
    for (const [i, now, data] of heardAt) {
      const news = newsFrom(data);
      if (news.comment) whole++;
      for (let v = (seen[i] as number) + 1; v <= news.version; v++) {
        const at = saidAt.get(v);
        if (at !== undefined) ours.push(now - at);
      }
      seen[i] = Math.max(seen[i] as number, news.version);
    }
    for (const [now, data] of heardBareAt) {
      const at = bareAt.get((JSON.parse(data) as { n: number }).n);
      if (at !== undefined) reference.push(now - at);
    }
    const after = await memoryOf(served.app.pid as number);
    const [[{ n }]] = (await pool.query<Row[]>("SELECT COUNT(*) AS n FROM comments WHERE round_id = ?", [
      round,
    ])) as unknown as [[{ n: number }]];

    stopBare.abort();
    bare.kill();
    await Promise.all(bareReaders);
    const [a, b] = [within(ours, 95), within(reference, 95)];
    // Bursts of other work on the machine show in the 95th of a hundred, hardly in the 50th.
    const middle = [ours, reference].map((times) => within(times, 50).toFixed(1));
    return [
      {
        ...{ name: "live", ours: a, reference: b, ratio: a / b, unit: "ms" },
        note: `${n} comments to ${READERS} readers, ${ours.length} of ${n * READERS} heard, ${whole} with the comment in them; half of them within ${middle.join(" against ")} ms; the bare server, in a process of its own, stores nothing and judges nobody; app ${before.toFixed(0)} MB before, ${after.toFixed(0)} MB after`,
      },
    ];
  } finally {
    await pool.end();
    await served.stop();
    await rm(folder, { recursive: true, force: true });
  }
}
