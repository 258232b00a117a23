import { once } from "node:events";
import { createWriteStream, type WriteStream } from "node:fs";

/** A file that is written piece by piece; without a path, nothing is. */
export class Output {
  private readonly stream: WriteStream | null;
  private waiting = "";
  constructor(path: string | undefined) {
    this.stream = path ? createWriteStream(path) : null;
  }
  async write(text: string): Promise<void> {
    if (!this.stream) return;
    this.waiting += text;
    if (this.waiting.length > 1 << 18) await this.flush();
  }
  private async flush(): Promise<void> {
    if (this.stream && !this.stream.write(this.waiting)) await once(this.stream, "drain");
    this.waiting = "";
  }
  async end(): Promise<void> {
    if (!this.stream) return;
    await this.flush();
    this.stream.end();
    await once(this.stream, "finish");
  }
}
