import { spawn, type ChildProcess } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { SieveError, grouped } from "@/core/kernel/problem.ts";
import { numberSetting } from "@/store/environment.ts";
import { stopped, type WorkAt } from "./work-at.ts";
import type { TaskInput, TaskName, TaskOutput } from "./tasks.ts";

/**
 * Work on foreign bytes and on people's formulas, in processes of their own that can be ended: what
 * stands still, or grows, there, stands still and grows nowhere else. A few run at a time, others wait.
 */

/** What a piece of work may take. */
export interface ApartLimits {
  /** Seconds from when it begins. */
  readonly seconds: number;
  /** Megabytes of memory of its process. */
  readonly megabytes: number;
  /** Ends it, and takes it out of those that wait. */
  readonly signal?: AbortSignal | undefined;
  /** Is told how far the work is. */
  readonly onWork?: ((at: WorkAt) => void) | undefined;
  /** Asks the work to end by itself where it can, with what it did taken back. */
  readonly stop?: AbortSignal | undefined;
}

/** How far a piece of work has come, as it said last. */
export interface ApartProgress {
  readonly file: string;
  readonly bytes: number;
}

/** From a process: how far it is, or how it ended. */
export type FromApart =
  | { readonly type: "progress"; readonly at: ApartProgress }
  | { readonly type: "work"; readonly at: WorkAt }
  | { readonly type: "done"; readonly result: unknown }
  | {
      readonly type: "failed";
      readonly code: string;
      readonly message: string;
      readonly detail: string;
      readonly hint: string;
      readonly facts: Record<string, string | number>;
    }
  | { readonly type: "broken"; readonly message: string };

export type ToApart = { readonly task: TaskName; readonly input: unknown } | { readonly stop: true };

const IDLE_MS = 60_000;
/** Pieces of work that wait at most; more are told to come back. */
const MOST_WAITING = 40;
const WATCH_MS = 50;
const PAGE = 4096;

const setting = (name: string, otherwise: number): number => numberSetting(process.env, name, otherwise);

/** What a look into a file, or a try of a plan, may take; both can be set by the environment. */
export function lookLimits(): ApartLimits {
  return { seconds: setting("SIEVE_LOOK_SECONDS", 30), megabytes: setting("SIEVE_LOOK_MEGABYTES", 400) };
}

/** What a profile of a whole delivery may take. */
export function profileLimits(): ApartLimits {
  return { seconds: setting("SIEVE_PROFILE_SECONDS", 3600), megabytes: setting("SIEVE_PROFILE_MEGABYTES", 600) };
}

/** What a change of a target may take that a person waits for: a release, an undo. */
export function writeLimits(): ApartLimits {
  return { seconds: setting("SIEVE_WRITE_SECONDS", 1800), megabytes: setting("SIEVE_WRITE_MEGABYTES", 800) };
}

interface Pool {
  running: number;
  readonly idle: { child: ChildProcess; megabytes: number; timer: NodeJS.Timeout }[];
  readonly waiting: (() => void)[];
}
// The web server's parts may each have a copy of this module; there is one pool for all of them.
const holder = globalThis as { sieveApart?: Pool };
const pool = (holder.sieveApart ??= { running: 0, idle: [], waiting: [] });

/**
 * Does a piece of work in a process of its own and gives its result. Throws what it threw as a
 * `SieveError`; `too-long`, `too-much-memory` or `ended-apart` where it was ended; `busy` where too many wait.
 */
export async function apart<K extends TaskName>(
  task: K,
  input: TaskInput<K>,
  limits: ApartLimits = lookLimits(),
): Promise<TaskOutput<K>> {
  await turn(limits);
  try {
    return (await run(task, input, limits)) as TaskOutput<K>;
  } finally {
    pool.running--;
    pool.waiting.shift()?.();
  }
}

async function turn({ signal, stop }: Pick<ApartLimits, "signal" | "stop">): Promise<void> {
  const most = setting("SIEVE_LOOKS", 2);
  if (pool.running >= most) {
    if (pool.waiting.length >= MOST_WAITING) {
      throw new SieveError("busy", "Too much is being looked at just now.", {
        detail: `${pool.running} at a time, and ${pool.waiting.length} wait.`,
        hint: "Try again in a moment; SIEVE_LOOKS sets how many are looked at at a time.",
      });
    }
    await new Promise<void>((resolve, reject) => {
      const leave = (why: SieveError): void => {
        forget();
        pool.waiting.splice(pool.waiting.indexOf(come), 1);
        reject(why);
      };
      const onAbort = (): void => leave(gone());
      const onStop = (): void => leave(stopped());
      const forget = (): void => {
        signal?.removeEventListener("abort", onAbort);
        stop?.removeEventListener("abort", onStop);
      };
      const come = (): void => {
        forget();
        resolve();
      };
      pool.waiting.push(come);
      signal?.addEventListener("abort", onAbort);
      stop?.addEventListener("abort", onStop);
    });
  }
  pool.running++;
}

function gone(): SieveError {
  return new SieveError("given-up", "Nobody waits for this any more, so it was ended.");
}

function run(task: TaskName, input: unknown, limits: ApartLimits): Promise<unknown> {
  return new Promise((resolve, reject) => {
    const child = take(limits.megabytes);
    let at: ApartProgress | null = null;
    const settle = (keep: boolean, act: () => void): void => {
      clearTimeout(clock);
      clearInterval(watch);
      limits.signal?.removeEventListener("abort", onAbort);
      limits.stop?.removeEventListener("abort", onStop);
      for (const event of ["message", "exit", "error"]) child.removeAllListeners(event);
      if (keep) giveBack(child, limits.megabytes);
      else child.kill("SIGKILL");
      act();
    };
    const end = (error: SieveError): void => settle(false, () => reject(error));
    const onAbort = (): void => end(gone());
    const onStop = (): void => void child.send({ stop: true } satisfies ToApart);
    const clock = setTimeout(() => end(tooLong(limits, at)), limits.seconds * 1000);
    const watch = setInterval(() => {
      if (memoryOf(child.pid) > limits.megabytes) end(tooHeavy(limits, at));
    }, WATCH_MS);
    limits.signal?.addEventListener("abort", onAbort);
    if (limits.signal?.aborted) return onAbort();
    limits.stop?.addEventListener("abort", onStop);
    child.on("message", (message: FromApart) => {
      switch (message.type) {
        case "progress":
          at = message.at;
          break;
        case "work":
          limits.onWork?.(message.at);
          break;
        case "done":
          settle(true, () => resolve(message.result));
          break;
        case "failed": {
          const { code, message: words, ...more } = message;
          settle(true, () => reject(new SieveError(code, words, more)));
          break;
        }
        case "broken":
          settle(false, () => reject(new Error(message.message)));
      }
    });
    child.on("error", (error) => settle(false, () => reject(error)));
    child.on("exit", (code, signal) => {
      // Out of its heap: the engine ends the process itself.
      if (signal === "SIGABRT" || code === 134) end(tooHeavy(limits, at));
      else end(endedAlone(signal ?? `code ${code}`, at));
    });
    child.send({ task, input } satisfies ToApart, (error) => {
      if (error) settle(false, () => reject(error));
    });
    if (limits.stop?.aborted) onStop();
  });
}

/** A process that has worked before, with as much room, or a new one. */
function take(megabytes: number): ChildProcess {
  const at = pool.idle.findLastIndex((kept) => kept.megabytes === megabytes);
  if (at >= 0) {
    const [kept] = pool.idle.splice(at, 1) as [(typeof pool.idle)[number]];
    clearTimeout(kept.timer);
    kept.child.removeAllListeners("exit");
    kept.child.ref();
    kept.child.channel?.ref();
    return kept.child;
  }
  const program = process.env["SIEVE_APART"] ?? join(process.cwd(), "dist/apart.js");
  // The heap is a part of what a process takes: buffers lie beside it.
  const command = [`--max-old-space-size=${Math.max(64, Math.round(megabytes * 0.7))}`, program];
  return spawn(process.execPath, command, {
    env: { ...process.env, MALLOC_ARENA_MAX: "2" },
    stdio: ["ignore", "ignore", "ignore", "ipc"],
    serialization: "advanced",
  });
}

function giveBack(child: ChildProcess, megabytes: number): void {
  // What it has grown to it would keep: the next one has the room that it is promised.
  if (pool.idle.length >= 2 || memoryOf(child.pid) > megabytes / 2) {
    child.kill("SIGKILL");
    return;
  }
  const forget = (): void => {
    const at = pool.idle.findIndex((kept) => kept.child === child);
    if (at >= 0) clearTimeout(pool.idle.splice(at, 1)[0]!.timer);
  };
  child.on("exit", forget);
  child.on("error", forget);
  child.unref();
  child.channel?.unref();
  const timer = setTimeout(() => {
    forget();
    child.kill("SIGKILL");
  }, IDLE_MS);
  timer.unref();
  pool.idle.push({ child, megabytes, timer });
}

/** Megabytes that a process takes; 0 where the system does not tell. */
function memoryOf(pid: number | undefined): number {
  try {
    return (Number(readFileSync(`/proc/${pid}/statm`, "utf8").split(" ")[1]) * PAGE) / 2 ** 20;
  } catch {
    return 0;
  }
}

function soFar(at: ApartProgress | null): string {
  return at ? `It had read ${grouped(at.bytes)} bytes of ${at.file}.` : "It had read nothing yet.";
}

function tooLong({ seconds }: ApartLimits, at: ApartProgress | null): SieveError {
  return new SieveError("too-long", `This took longer than ${seconds} seconds, and was ended.`, {
    detail: soFar(at),
    hint: "Look at what was sent: it is larger or stranger than records are. SIEVE_LOOK_SECONDS and, for profiles, SIEVE_PROFILE_SECONDS give it longer.",
  });
}

function tooHeavy({ megabytes }: ApartLimits, at: ApartProgress | null): SieveError {
  return new SieveError("too-much-memory", `This took more than ${megabytes} MB of memory, and was ended.`, {
    detail: soFar(at),
    hint: "Look at what was sent: it is larger or stranger than records are. SIEVE_LOOK_MEGABYTES and, for profiles, SIEVE_PROFILE_MEGABYTES give it more.",
  });
}

function endedAlone(how: string, at: ApartProgress | null): SieveError {
  return new SieveError("ended-apart", `The process that was to look at this ended by itself (${how}).`, {
    detail: soFar(at),
    hint: "Try again; if it ends again, the file or the machine is at fault.",
  });
}
