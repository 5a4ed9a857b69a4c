import { describe, expect, test, vi } from "vitest";
import { Refusal } from "../../core/text/refusal";
import { type Asked, Handed, type HostScope, host } from "../../workers/host";
import { askOnce, WorkerClient, type WorkerLike } from "./workerClient";

/** A worker of this very thread: messages go both ways in tasks of their own, as copies. */
function inProcess(handlers: Parameters<typeof host>[0], log: string[] = []): WorkerLike & { fail(): void } {
  let ended = false;
  const worker: WorkerLike & { fail(): void } = {
    onmessage: null,
    onerror: null,
    postMessage(message, transfer) {
      log.push("cancel" in message ? `cancel ${message.id}` : `${message.name} ${message.id}`);
      const copy = structuredClone(message, { transfer });
      setTimeout(() => !ended && scope.onmessage?.({ data: copy } as MessageEvent));
    },
    terminate() {
      ended = true;
      log.push("ended");
    },
    fail() {
      worker.onerror?.({} as ErrorEvent);
    },
  };
  const scope: HostScope = {
    onmessage: null,
    postMessage(answer, transfer) {
      const copy = structuredClone(answer, { transfer });
      setTimeout(() => !ended && worker.onmessage?.({ data: copy } as MessageEvent));
    },
  };
  host(handlers, scope);
  return worker;
}

const handlers = {
  double: (n: number) => 2 * n,
  slow: async (ms: number, { tell, signal }: Asked<number>) => {
    for (let i = 1; i <= 4; i++) {
      await new Promise((r) => setTimeout(r, ms / 4));
      if (signal.aborted) throw new DOMException("stopped", "AbortError");
      tell(i / 4);
    }
    return ms;
  },
  refuse: () => {
    throw new Refusal("parts-gone");
  },
  stumble: () => {
    throw new TypeError("x is not a function");
  },
  bytes: (n: number) => {
    const a = new Uint8Array(n).fill(7);
    return new Handed(a, [a.buffer]);
  },
};
type Made = typeof handlers;

describe("questions of a worker", () => {
  test("asked at the same time each get their own answer, in whatever order they are ready", async () => {
    const client = new WorkerClient<Made>(() => inProcess(handlers));
    const order: number[] = [];
    const noted = (n: number) => {
      order.push(n);
      return n;
    };
    const answers = await Promise.all([
      client.ask("slow", 60).then(noted),
      client.ask("double", 4).then(noted),
      client.ask("slow", 20).then(noted),
    ]);
    expect(answers).toEqual([60, 8, 20]);
    expect(order).toEqual([8, 20, 60]);
  });
  test("tell how far they are, and hand buffers over", async () => {
    const client = new WorkerClient<Made>(() => inProcess(handlers));
    const told: number[] = [];
    await client.ask("slow", 8, { tell: (share) => told.push(share) });
    expect(told).toEqual([0.25, 0.5, 0.75, 1]);
    expect(await client.ask("bytes", 3)).toEqual(new Uint8Array([7, 7, 7]));
  });
  test("fail with what was meant, and with faults that are named as such; the worker goes on", async () => {
    const client = new WorkerClient<Made>(() => inProcess(handlers));
    await expect(client.ask("refuse", undefined)).rejects.toMatchObject({
      name: "Refusal",
      message: "None of the parts is in this revision of the assembly.",
    });
    await expect(client.ask("stumble", undefined)).rejects.toMatchObject({ name: "TypeError" });
    await expect(client.ask("none" as "double", 1)).rejects.toThrow(/does not know/);
    expect(await client.ask("double", 1)).toBe(2);
  });
  test("are given up at once, and the worker is told; what has not begun never begins", async () => {
    const log: string[] = [];
    const slow = vi.fn(handlers.slow);
    const client = new WorkerClient<Made>(() => inProcess({ ...handlers, slow }, log));
    const stop = new AbortController();
    const first = client.ask("slow", 40, { signal: stop.signal });
    const other = client.ask("double", 3);
    stop.abort();
    await expect(first).rejects.toMatchObject({ name: "AbortError" });
    expect(await other).toBe(6);
    expect(log).toEqual(["slow 1", "double 2", "cancel 1"]);
    expect(slow).not.toHaveBeenCalled();
    await expect(client.ask("double", 3, { signal: stop.signal })).rejects.toMatchObject({ name: "AbortError" });
  });
  test("of a worker that is ended to stop it are asked again of the next, which is opened first", async () => {
    const log: string[] = [];
    const client = new WorkerClient<Made>(
      () => inProcess(handlers, log),
      () => ({ name: "double", input: 0 }),
      true,
    );
    const stop = new AbortController();
    const given = client.ask("slow", 50, { signal: stop.signal });
    const kept = client.ask("slow", 20);
    await client.ask("double", 1);
    stop.abort();
    await expect(given).rejects.toMatchObject({ name: "AbortError" });
    expect(await kept).toBe(20);
    expect(log).toEqual(["double 0", "slow 1", "slow 2", "double 3", "ended", "double 0", "slow 2"]);
  });
  test("of a worker that dies are refused, and the next question starts another", async () => {
    const made: ReturnType<typeof inProcess>[] = [];
    const client = new WorkerClient<Made>(() => {
      const w = inProcess(handlers);
      made.push(w);
      return w;
    });
    const asked = client.ask("slow", 30);
    made[0]?.fail();
    await expect(asked).rejects.toMatchObject({ name: "Refusal", code: "worker-died" });
    expect(await client.ask("double", 5)).toBe(10);
    expect(made).toHaveLength(2);
    client.end();
    await expect(new WorkerClient<Made>(() => null).ask("double", 1)).rejects.toMatchObject({ code: "no-worker" });
  });
  test("asked once leave no worker behind", async () => {
    const log: string[] = [];
    expect(await askOnce<Made, "double">(() => inProcess(handlers, log), "double", 2)).toBe(4);
    expect(log).toEqual(["double 1", "ended"]);
  });
});
