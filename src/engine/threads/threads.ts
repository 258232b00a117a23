import { Worker } from "node:worker_threads";

/** How long a thread without work is kept. */
const IDLE_MS = 60_000;
/** Threads without work that are kept at most, of each kind. */
const MOST_IDLE = 2;

/**
 * Threads that have ended a load well and can take the next one: their code is compiled and warm,
 * which is worth half a second to a load.
 */
const idle: { thread: Worker; kind: string; timer: NodeJS.Timeout }[] = [];
/** By thread: the program that it runs. */
const kinds = new WeakMap<Worker, string>();

/** A thread that runs a program, which may have worked before. */
export function takeThread(url: URL): Worker {
  const at = idle.findLastIndex(({ kind }) => kind === url.href);
  if (at >= 0) {
    const [kept] = idle.splice(at, 1) as [(typeof idle)[number]];
    clearTimeout(kept.timer);
    forgetListeners(kept.thread);
    kept.thread.ref();
    return kept.thread;
  }
  const thread = new Worker(url, { execArgv: [], resourceLimits: { maxYoungGenerationSizeMb: 16 } });
  kinds.set(thread, url.href);
  return thread;
}

/** Takes back a thread whose load has ended well; any other is to be terminated. */
export function giveBack(thread: Worker): void {
  forgetListeners(thread);
  const kind = kinds.get(thread)!;
  if (idle.filter((kept) => kept.kind === kind).length >= MOST_IDLE) {
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
  idle.push({ thread, kind, timer });
}

/** Only ours: the thread listens to itself for when to open its port. */
function forgetListeners(thread: Worker): void {
  for (const event of ["message", "error", "exit"]) thread.removeAllListeners(event);
}
