import { AsyncLocalStorage } from "node:async_hooks";
import { pino, type Logger } from "pino";

/** The number of the request that is being answered, wherever in the web process. */
export const requestNow = new AsyncLocalStorage<string>();

/**
 * The one log of a process: JSON, a line each, with time (ISO 8601, UTC), level, process and pid; where it is about
 * them, with `load`, `feed`, `profile`, and `request`, the number that answers and problem details have too.
 */
export function makeLog(process: "web" | "worker", level: string): Logger {
  return pino({
    level: globalThis.process.env["LOG_LEVEL"] ?? level,
    base: { process, pid: globalThis.process.pid },
    timestamp: pino.stdTimeFunctions.isoTime,
    formatters: { level: (label) => ({ level: label }) },
    mixin: () => {
      const request = requestNow.getStore();
      return request === undefined ? {} : { request };
    },
  });
}
