import { Worker } from "node:worker_threads";

/** How long a thread without work is kept. */
const IDLE_MS = 60_000;
/** Threads without work that are kept at most. */
const MOST_IDLE = 2;

/**
 * Threads that have ended a load well and can take the next one: their code is compiled and warm,
 * which is worth half a second to a load.
 */
const idle: { thread: Worker; timer: NodeJS.Timeout }[] = [];

export function takeThread(url: URL): Worker {
  const kept = idle.pop();
  if (kept) {
    clearTimeout(kept.timer);
    forgetListeners(kept.thread);
    kept.thread.ref();
    return kept.thread;
  }
  return new Worker(url, { execArgv: [], resourceLimits: { maxYoungGenerationSizeMb: 16 } });
}

/** Takes back a thread whose load has ended well; any other is to be terminated. */
export function giveBack(thread: Worker): void {
  forgetListeners(thread);
  if (idle.length >= MOST_IDLE) {
    void thread.terminate();
    return;
  }
  const forget = (): void => {
    const at = idle.findIndex((kept) => kept.thread === thread);
    if (at >= 0) clearTimeout(idle.splice(at, 1)[0]!.timer);
  };
  thread.on("error", forget);
  thread.on("exit", forget);
  thread.unref();
  const timer = setTimeout(() => {
    forget();
    void thread.terminate();
  }, IDLE_MS);
  timer.unref();
  idle.push({ thread, timer });
}

/** Only ours: the thread listens to itself for when to open its port. */
function forgetListeners(thread: Worker): void {
  for (const event of ["message", "error", "exit"]) thread.removeAllListeners(event);
}
