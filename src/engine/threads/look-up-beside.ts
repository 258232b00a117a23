import { Worker } from "node:worker_threads";
import type { Asked, Beside } from "@/core/lookup/look-up.ts";
import type { NearestEntry } from "@/core/lookup/nearest.ts";
import type { LookUp } from "@/core/lookup/schema.ts";
import type { Reference } from "@/core/kernel/reference.ts";

/** What the thread needs to be ready. */
export interface LookUpThreadData {
  readonly lookUp: LookUp;
  readonly reference: Reference;
}

/** What it is asked, and the memory for its answers. */
export interface LookUpAsked {
  readonly asked: readonly Asked[];
  readonly memory: SharedArrayBuffer;
}

/** Numbers of an answer: the entry, its score, and that of the next. */
export const NUMBERS = 3;
/** Bytes before the answers, in which stands whether they are all there. */
const BEFORE = 8;

/** The parts of such memory. */
export const answersIn = (memory: SharedArrayBuffer): { done: Int32Array; numbers: Float64Array } => ({
  done: new Int32Array(memory, 0, 1),
  numbers: new Float64Array(memory, BEFORE),
});

/** A thread that has not answered for so long, in milliseconds, is not waited for any longer. */
const PATIENCE_MS = 60_000;

/** Has a thread of its own find what is nearest, which begins when it is asked for the first time. */
export class LookUpBeside implements Beside {
  private thread: Worker | null = null;
  private under: { readonly memory: SharedArrayBuffer; readonly count: number } | null = null;

  /** @param program the bundled look-up-thread */
  constructor(
    private readonly program: URL,
    private readonly data: LookUpThreadData,
    private readonly patience = PATIENCE_MS,
  ) {}

  begin(asked: readonly Asked[]): void {
    if (!this.thread) {
      this.thread = new Worker(this.program, { workerData: this.data, execArgv: [] });
      // Whoever waits notices that no answer comes, and finds what it asked for itself.
      this.thread.on("error", () => {});
      this.thread.unref();
    }
    const memory = new SharedArrayBuffer(BEFORE + asked.length * NUMBERS * Float64Array.BYTES_PER_ELEMENT);
    this.under = { memory, count: asked.length };
    this.thread.postMessage({ asked, memory } satisfies LookUpAsked);
  }

  take(): readonly NearestEntry[] | null {
    const { memory, count } = this.under!;
    const { done, numbers } = answersIn(memory);
    if (Atomics.wait(done, 0, 0, this.patience) === "timed-out") return null;
    return Array.from({ length: count }, (_, i) => {
      const [entry, score, next] = numbers.subarray(i * NUMBERS, (i + 1) * NUMBERS) as unknown as number[];
      return { entry: entry!, score: score!, next: next! };
    });
  }

  async end(): Promise<void> {
    await this.thread?.terminate();
    this.thread = null;
  }
}
