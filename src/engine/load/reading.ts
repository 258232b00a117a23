import { once } from "node:events";
import type { Worker } from "node:worker_threads";
import { from as copyFrom, type CopyStreamQuery } from "pg-copy-streams";
import { SieveError } from "@/core/kernel/problem.ts";
import type { Client, Db } from "@/store/db.ts";
import { storedBytes, type DeliveryFile } from "@/store/deliveries.ts";
import { addBlock, addLateProblems, asBuffer, type Attempt } from "@/store/ledger.ts";
import { giveBack, takeThread } from "../threads/threads.ts";
import type { FromThread, ThreadStart, ToThread } from "../threads/messages.ts";

/** Chunks on their way to the thread. */
const AHEAD = 3;

/** More than a connection keeps of what it says it has passed on. */
const SOCKET_BYTES = 128 << 10;

type Done = Extract<FromThread, { type: "done" }>;
type BlockMessage = Extract<FromThread, { type: "block" }>;

/** What is read, and where what comes of it goes. */
export interface ReadingOptions {
  readonly db: Db;
  /** It is in a transaction: what is copied is there when that is committed. */
  readonly client: Client;
  readonly attempt: Attempt;
  readonly files: readonly DeliveryFile[];
  readonly start: ThreadStart;
  /** The statement that takes the good records. */
  readonly copy: string;
  /** The bundled course-thread. */
  readonly thread: URL;
  readonly signal?: AbortSignal | undefined;
  /** Keeps the rows of held records, given as JSON. */
  hold(rows: string): Promise<void>;
  /** Told after each block how many records it has, and how many bytes are read in all; throws to end the reading. */
  progress(records: number, bytesRead: number): Promise<void>;
}

/**
 * Takes the files of a delivery through the course, which runs in a thread: good records go to the
 * database by COPY while the ledger's block and held records go through another connection. The
 * thread is given few chunks ahead and waits for each block to be taken, so memory stays flat
 * whatever the speeds of the one and the other.
 */
export class Reading {
  private readonly worker: Worker;
  private readonly copying: CopyStreamQuery;
  private readonly outcome: Promise<Done>;
  private finish!: (done: Done) => void;
  private reject!: (error: unknown) => void;
  private failure: unknown = null;
  /** The thread has said that it is done or has failed. */
  private said = false;
  private blocks = 0;
  /** Messages of the thread that are not done with, one after the other. */
  private work = Promise.resolve();
  private pending = 0;
  private credit = AHEAD;
  private moreCredit: (() => void) | null = null;
  /** Ends the wait for what COPY was given. */
  private gaveUp: (error: unknown) => void = () => {};
  /** Memory of chunks that the thread has read, and of rows that are on their way to the database. */
  private readonly spare: ArrayBuffer[] = [];
  private readonly underway: { memory: ArrayBuffer; bytes: number }[] = [];

  constructor(private readonly options: ReadingOptions) {
    this.outcome = new Promise<Done>((resolve, reject) => {
      this.finish = resolve;
      this.reject = reject;
    });
    this.outcome.catch(() => {});
    this.worker = takeThread(options.thread);
    this.send({ type: "begin", ...options.start });
    this.copying = options.client.query(copyFrom(options.copy)) as unknown as CopyStreamQuery;
  }

  /** Breaks the reading off, wherever it is. */
  readonly giveUp = (error: unknown): void => {
    this.failure ??= error;
    this.moreCredit?.();
    this.gaveUp(error);
    this.reject(error);
  };

  /** Reads all there is. When it throws, nothing of it goes on, and the client can be used again. */
  async run(): Promise<Done> {
    const { worker, copying, options } = this;
    const onAbort = (): void => this.giveUp(new Error("the worker is ending"));
    copying.on("error", this.giveUp);
    worker.on("error", this.giveUp);
    worker.on("exit", (code) => this.said || this.giveUp(new Error(`the course's thread ended with code ${code}`)));
    worker.on("message", (message: FromThread) => this.heard(message));
    options.signal?.addEventListener("abort", onAbort);
    let well = false;
    try {
      this.feed().catch(this.giveUp);
      const done = await this.outcome;
      copying.end();
      await Promise.race([once(copying, "finish"), new Promise((_, reject) => copying.once("error", reject))]);
      well = true;
      return done;
    } catch (error) {
      await this.endCopy();
      await this.work.catch(() => {});
      throw error;
    } finally {
      this.failure ??= new Error("over");
      options.signal?.removeEventListener("abort", onAbort);
      if (well) giveBack(worker);
      else await worker.terminate();
    }
  }

  private send(message: ToThread, transfer: ArrayBuffer[] = []): void {
    this.worker.postMessage(message, transfer);
  }

  private heard(message: FromThread): void {
    // Credit at once: it must not wait behind a block that waits for COPY.
    if (message.type === "took-chunk") {
      this.credit++;
      this.spare.push(message.memory);
      this.moreCredit?.();
      return;
    }
    this.said ||= message.type === "done" || message.type === "failed";
    this.pending++;
    this.work = this.work
      .then(() => (this.failure ? undefined : this.take(message)))
      .catch(this.giveUp)
      .finally(() => {
        this.pending--;
        if (message.type === "block") this.send({ type: "took-block" });
        this.moreCredit?.();
      });
  }

  private async take(message: FromThread): Promise<void> {
    switch (message.type) {
      case "block":
        await this.takeBlock(message);
        break;
      case "late":
        await addLateProblems(this.options.db, this.options.attempt, message.check, message.found);
        break;
      case "failed":
        throw new SieveError(message.code, message.message, { detail: message.detail, hint: message.hint });
      case "done":
        this.finish(message);
    }
  }

  private async takeBlock(message: BlockMessage): Promise<void> {
    const { db, attempt, hold, progress } = this.options;
    const passedOn = new Promise<void>((resolve, reject) => {
      this.gaveUp = reject;
      if (message.copy.length === 0) resolve();
      else this.copying.write(asBuffer(message.copy), () => resolve());
    });
    this.underway.push({ memory: message.copy.buffer, bytes: message.copy.length });
    await allEnded([
      passedOn,
      addBlock(db, attempt, { ...message, block: this.blocks++ }),
      message.held === "" ? undefined : hold(message.held),
    ]);
    this.giveMemoryBack();
    await progress(message.outcomes.length, message.bytesRead);
  }

  /** The connection may still have the end of what it was given last, but no more than that. */
  private giveMemoryBack(): void {
    const { underway } = this;
    for (let after = 0, i = underway.length - 1; i >= 0; i--) {
      const { memory, bytes } = underway[i]!;
      if (after >= SOCKET_BYTES) {
        this.send({ type: "spent", memory }, [memory]);
        underway.splice(i, 1);
      }
      after += bytes;
    }
  }

  private async feed(): Promise<void> {
    for (const file of this.options.files) {
      this.send({ type: "file", index: file.position, name: file.name, bytes: file.bytes });
      for await (const bytes of storedBytes(this.options.db, file.id)) {
        // Also wait while blocks pile up before COPY.
        while ((this.credit <= 0 || this.pending > AHEAD) && !this.failure) {
          await new Promise<void>((resolve) => {
            this.moreCredit = resolve;
          });
        }
        if (this.failure) return;
        this.credit--;
        const memory = this.memoryFor(bytes.length);
        const own = new Uint8Array(memory, 0, bytes.length);
        own.set(bytes);
        this.send({ type: "chunk", bytes: own }, [memory]);
      }
      this.send({ type: "end-of-file" });
    }
    this.send({ type: "end" });
  }

  private memoryFor(length: number): ArrayBuffer {
    const at = this.spare.findIndex((m) => m.byteLength >= length);
    return at < 0 ? new ArrayBuffer(length) : this.spare.splice(at, 1)[0]!;
  }

  /** An open COPY must end before its client can be used again. */
  private async endCopy(): Promise<void> {
    await new Promise<void>((resolve) => {
      this.copying.once("close", () => resolve());
      this.copying.once("error", () => resolve());
      this.copying.destroy(new Error("the load ended"));
      setTimeout(resolve, 2000).unref();
    });
  }
}

/** When all have ended, the error of the first that failed: nothing of an attempt goes on when it is over. */
async function allEnded(work: readonly (Promise<unknown> | undefined)[]): Promise<void> {
  for (const ended of await Promise.allSettled(work)) if (ended.status === "rejected") throw ended.reason as Error;
}
