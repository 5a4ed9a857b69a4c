import { Refusal } from "../../core/text/refusal";
import type { AnswerOf, FaultData, Handlers, HostAnswer, HostRequest, InputOf, ToldOf } from "../../workers/host";

/** What of a Worker is used; a test gives its own. */
export interface WorkerLike {
  onmessage: ((event: MessageEvent<HostAnswer>) => void) | null;
  onerror: ((event: ErrorEvent) => void) | null;
  postMessage(message: HostRequest, transfer: Transferable[]): void;
  terminate(): void;
}

interface Question {
  name: string;
  input: unknown;
  tell: ((told: never) => void) | undefined;
  answer(value: unknown): void;
  fail(error: Error): void;
}

export interface AskOptions<Told> {
  /** Gives the question up: it is refused with an AbortError at once. */
  signal?: AbortSignal | undefined;
  tell?: ((told: Told) => void) | undefined;
  /** Buffers of the input that are handed over; not with `endsToStop`, where a question may be asked twice. */
  transfer?: Transferable[];
}

/** An error of another thread: its class is lost, its name tells what it is. */
export class WorkerFault extends Error {
  readonly status: number | undefined;

  constructor({ name, message, status }: FaultData) {
    super(message);
    this.name = name;
    this.status = status;
  }
}

/**
 * The page's side of a worker; see host.ts. The worker starts with the first question. Every question is answered,
 * whatever becomes of others that were asked meanwhile.
 */
export class WorkerClient<H extends Handlers> {
  private worker: WorkerLike | null = null;
  private readonly open = new Map<number, Question>();
  private last = 0;
  private started = 0;

  /**
   * @param make starts the worker; null where the browser has none
   * @param opening asked before anything else of a worker that was just started, such as the assembly it works on
   * @param endsToStop the worker cannot be stopped in its work except by ending it; other questions are then asked
   * again
   */
  constructor(
    private readonly make: () => WorkerLike | null,
    private readonly opening: (() => { name: keyof H & string; input: unknown }) | null = null,
    private readonly endsToStop = false,
  ) {}

  ask<N extends keyof H & string>(
    name: N,
    input: InputOf<H, N>,
    options: AskOptions<ToldOf<H, N>> = {},
  ): Promise<AnswerOf<H, N>> {
    const { signal, tell, transfer = [] } = options;
    return new Promise((resolve, reject) => {
      const stopped = () => new DOMException("stopped", "AbortError");
      if (signal?.aborted) return reject(stopped());
      const id = ++this.last;
      const stop = () => {
        if (!this.open.delete(id)) return;
        reject(stopped());
        if (this.endsToStop) this.startAgain();
        else this.worker?.postMessage({ id, cancel: true }, []);
      };
      signal?.addEventListener("abort", stop, { once: true });
      const done = () => signal?.removeEventListener("abort", stop);
      this.open.set(id, {
        name,
        input,
        tell,
        answer(value) {
          done();
          resolve(value as AnswerOf<H, N>);
        },
        fail(error) {
          done();
          reject(error);
        },
      });
      try {
        this.running().postMessage({ id, name, input }, transfer);
      } catch (error) {
        this.open.delete(id);
        done();
        reject(error as Error);
      }
    });
  }

  /**
   * Starts the worker where it does not run. @returns which one it is: another number, and nothing is left of what
   * one before was sent. @throws Refusal
   */
  start(): number {
    this.running();
    return this.started;
  }

  private running(): WorkerLike {
    if (this.worker) return this.worker;
    this.started++;
    const worker = this.make();
    if (!worker) throw new Refusal("no-worker");
    this.worker = worker;
    worker.onmessage = ({ data }) => {
      if (worker === this.worker) this.take(data);
    };
    // A worker that cannot even be loaded, or that died, answers nothing any more.
    worker.onerror = () => {
      if (worker !== this.worker) return;
      this.end(new Refusal("worker-died"));
    };
    if (this.opening) {
      const { name, input } = this.opening();
      // Nobody waits for this one; what fails in it fails again in the question after it.
      worker.postMessage({ id: 0, name, input }, []);
    }
    return worker;
  }

  private take(data: HostAnswer): void {
    const question = this.open.get(data.id);
    if (!question) return;
    if ("told" in data) {
      question.tell?.(data.told as never);
      return;
    }
    this.open.delete(data.id);
    if ("fault" in data) question.fail(new WorkerFault(data.fault));
    else question.answer(data.value);
  }

  /** Ends the worker in the middle of its work and asks a new one what is still open. */
  private startAgain(): void {
    this.worker?.terminate();
    this.worker = null;
    for (const [id, { name, input }] of this.open) this.running().postMessage({ id, name, input }, []);
  }

  /** Ends the worker; open questions are refused. A later question starts it again. */
  end(why: Error = new DOMException("ended", "AbortError")): void {
    this.worker?.terminate();
    this.worker = null;
    const open = [...this.open.values()];
    this.open.clear();
    for (const q of open) q.fail(why);
  }
}

/** One question of a worker that is made for it and ended with it. */
export async function askOnce<H extends Handlers, N extends keyof H & string>(
  make: () => WorkerLike,
  name: N,
  input: InputOf<H, N>,
  options: AskOptions<ToldOf<H, N>> = {},
): Promise<AnswerOf<H, N>> {
  const client = new WorkerClient<H>(make);
  try {
    return await client.ask(name, input, options);
  } finally {
    client.end();
  }
}
