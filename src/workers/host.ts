/**
 * The worker's side of questions and answers. A worker is a list of named handlers; each question has a number, may
 * tell how far it is, may be cancelled, and is answered once: with a value, or with an error as data. Questions begin
 * in the order in which they came; one that waits for something lets the next begin.
 */

/** What a handler is given besides its input. */
export interface Asked<Told> {
  signal: AbortSignal;
  /** Sends something on the way to the answer. */
  tell(what: Told): void;
}
// biome-ignore lint/suspicious/noExplicitAny: the one place where handlers of all kinds are held together; `Answer` and the like get the types back
export type Handlers = Record<string, (input: any, asked: Asked<any>) => unknown>;

export type InputOf<H extends Handlers, N extends keyof H> = Parameters<H[N]>[0];
export type ToldOf<H extends Handlers, N extends keyof H> =
  Parameters<H[N]> extends [unknown, Asked<infer T>] ? T : never;
export type AnswerOf<H extends Handlers, N extends keyof H> =
  Awaited<ReturnType<H[N]>> extends Handed<infer T> ? T : Awaited<ReturnType<H[N]>>;

/** An error on its way between threads, where classes are lost. */
export interface FaultData {
  name: string;
  message: string;
  status?: number;
}
export type HostRequest = { id: number; name: string; input: unknown } | { id: number; cancel: true };
export type HostAnswer =
  | { id: number; value: unknown }
  | { id: number; told: unknown }
  | { id: number; fault: FaultData };

/** An answer whose buffers are handed over instead of copied. */
export class Handed<T> {
  constructor(
    readonly value: T,
    readonly transfer: Transferable[],
  ) {}
}

/** What of a worker's global scope is used; a test gives its own. */
export interface HostScope {
  onmessage: ((event: MessageEvent<HostRequest>) => void) | null;
  postMessage(answer: HostAnswer, transfer: Transferable[]): void;
}

/** Answers questions with these handlers from now on. */
export function host(handlers: Handlers, scope = self as unknown as HostScope): void {
  const waiting: Extract<HostRequest, { input: unknown }>[] = [];
  const running = new Map<number, AbortController>();
  const cancelled = new Set<number>();

  const run = async ({ id, name, input }: Extract<HostRequest, { input: unknown }>) => {
    const abort = new AbortController();
    running.set(id, abort);
    try {
      const handler = handlers[name];
      if (!handler) throw new Error(`This worker does not know "${name}".`);
      const made = await handler(input, { signal: abort.signal, tell: (told) => scope.postMessage({ id, told }, []) });
      if (made instanceof Handed) scope.postMessage({ id, value: made.value }, made.transfer);
      else scope.postMessage({ id, value: made }, []);
    } catch (error) {
      scope.postMessage({ id, fault: faultData(error) }, []);
    } finally {
      running.delete(id);
    }
  };
  // Begun in a task of their own, so that a cancel that came meanwhile is seen before long work begins.
  const begin = () => {
    const next = waiting.shift();
    if (!next) return;
    if (cancelled.delete(next.id))
      scope.postMessage({ id: next.id, fault: { name: "AbortError", message: "cancelled" } }, []);
    else void run(next);
  };
  scope.onmessage = ({ data }) => {
    if (!("cancel" in data)) {
      waiting.push(data);
      setTimeout(begin);
    } else if (running.has(data.id)) running.get(data.id)?.abort();
    else if (waiting.some((w) => w.id === data.id)) cancelled.add(data.id);
  };
}

function faultData(error: unknown): FaultData {
  if (!(error instanceof Error)) return { name: "Error", message: String(error) };
  const { status } = error as { status?: unknown };
  return { name: error.name, message: error.message, ...(typeof status === "number" ? { status } : {}) };
}
