import { once } from "node:events";
import { createWriteStream, type WriteStream } from "node:fs";
import { rename, rm } from "node:fs/promises";

/** Bytes that are kept together before they are written. */
const TOGETHER = 1 << 18;

/**
 * A file that is written piece by piece, aside, and has its name once it is whole; without a path, nothing is written.
 */
export class Output {
  private readonly stream: WriteStream | null;
  private failed: Error | null = null;
  private waiting: (string | Uint8Array)[] = [];
  private have = 0;

  constructor(private readonly path: string | undefined) {
    this.stream = path ? createWriteStream(`${path}.part`) : null;
    this.stream?.on("error", (error) => (this.failed = error));
  }

  /** What it is called, "" where nothing is written. */
  get name(): string {
    return this.path ?? "";
  }

  async write(piece: string | Uint8Array): Promise<void> {
    if (!this.stream || piece.length === 0) return;
    this.waiting.push(piece);
    this.have += piece.length;
    if (this.have > TOGETHER) await this.flush();
  }

  private async flush(): Promise<void> {
    const pieces = this.waiting.map((p) => (typeof p === "string" ? Buffer.from(p) : p));
    this.waiting = [];
    this.have = 0;
    if (this.failed) throw this.failed;
    if (!this.stream!.write(Buffer.concat(pieces))) await once(this.stream!, "drain");
  }

  async end(): Promise<void> {
    if (!this.stream) return;
    await this.flush();
    this.stream.end();
    await once(this.stream, "finish");
    await rename(`${this.path}.part`, this.path!);
  }

  /** Leaves nothing behind of a file that is not whole. */
  async drop(): Promise<void> {
    if (!this.stream) return;
    this.stream.destroy();
    await rm(`${this.path}.part`, { force: true });
  }
}
