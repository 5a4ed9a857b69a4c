import { collectDefaultMetrics, Gauge, Histogram, Registry } from "prom-client";

/** Figures of an app process, for a program that collects them. */
export interface Metrics {
  registry: Registry;
  /** Counts a request that was answered. @param seconds until its last byte */
  answered(method: string, path: string, status: number, seconds: number): void;
  /** What is looked up when somebody asks. */
  set(figures: Figures): void;
}

export interface Figures {
  database: boolean;
  /** Readers with their kernel started. */
  reader: boolean;
  listeners: number;
  /** Jobs by state. */
  jobs: Readonly<Record<string, number>>;
}

// The framework loads modules once per route bundle; a process has one list of figures.
const holder = globalThis as { plextanMetrics?: Metrics };

/** The first two parts of an address: enough to tell what was asked for, few enough to be counted one by one. */
export function kindOf(path: string): string {
  const [, first = "", second = ""] = (path.split("?")[0] ?? "").split("/");
  if (first === "api") return /^[a-z-]{1,24}$/.test(second) ? `/api/${second}` : "/api";
  if (first === "_next") return "/_next";
  return first === "" || /^[a-z-]{1,24}$/.test(first) ? `/${first}` : "other";
}

/** The process's figures, made on first need. */
export function metrics(): Metrics {
  holder.plextanMetrics ??= make();
  return holder.plextanMetrics;
}

function make(): Metrics {
  const registry = new Registry();
  collectDefaultMetrics({ register: registry });
  const registers = [registry];
  const requests = new Histogram({
    name: "plextan_request_seconds",
    help: "Requests that were answered, by what was asked for; streams of events last as long as somebody listens.",
    labelNames: ["method", "kind", "status"],
    buckets: [0.01, 0.03, 0.1, 0.3, 1, 3, 10, 60],
    registers,
  });
  const gauge = (name: string, help: string, labelNames: string[] = []) =>
    new Gauge({ name, help, labelNames, registers });
  const database = gauge("plextan_database_up", "1 while the database answers.");
  const reader = gauge("plextan_reader_ready", "1 while a CAD reader waits with its kernel started.");
  const listeners = gauge("plextan_listeners", "Who listens to events of rounds and projects in this process.");
  const jobs = gauge("plextan_jobs", "Jobs of all processes, by state.", ["state"]);
  return {
    registry,
    answered: (method, path, status, seconds) =>
      requests.observe({ method, kind: kindOf(path), status: `${Math.floor(status / 100)}xx` }, seconds),
    set(figures) {
      database.set(figures.database ? 1 : 0);
      reader.set(figures.reader ? 1 : 0);
      listeners.set(figures.listeners);
      jobs.reset();
      for (const [state, n] of Object.entries(figures.jobs)) jobs.set({ state }, n);
    },
  };
}
