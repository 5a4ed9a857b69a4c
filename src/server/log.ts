import pino, { type Logger } from "pino";

// The framework loads modules once per route bundle; a process has one log.
const holder = globalThis as { plextanLog?: Logger };

/** What whoever runs Plextan has to know, as JSON lines on standard error. */
export function log(): Logger {
  holder.plextanLog ??= pino(
    {
      base: { pid: process.pid },
      timestamp: pino.stdTimeFunctions.isoTime,
      formatters: { level: (level) => ({ level }) },
      serializers: { err: pino.stdSerializers.err },
    },
    pino.destination({ fd: 2, sync: true }),
  );
  return holder.plextanLog;
}

/** Whether every request has a line of its own, not only what went wrong. */
export const logsRequests = (): boolean => process.env.PLEXTAN_LOG === "requests";
