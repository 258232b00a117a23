import { snappyUncompress } from "hyparquet";
import { concat } from "../../kernel/bytes.ts";
import { SieveError } from "../../kernel/problem.ts";
import type { SourceFile } from "../part.ts";
import { inflated } from "../unpack.ts";

export const broken = (detail: string): SieveError =>
  new SieveError("avro-broken", "The Avro file is damaged.", {
    detail,
    hint: "Ask the sender for the file again; nothing of it was loaded.",
  });

/** Takes bytes from a stream as they are asked for. */
export class Bytes {
  private window: Uint8Array = new Uint8Array(0);
  private at = 0;
  private readonly chunks: AsyncIterator<Uint8Array>;
  constructor(source: SourceFile) {
    this.chunks = source.chunks()[Symbol.asyncIterator]();
  }
  /** False at the end of the file. */
  async more(n: number): Promise<boolean> {
    let have = this.window.length - this.at;
    if (have >= n) return true;
    const parts = [this.window.subarray(this.at)];
    while (have < n) {
      const next = await this.chunks.next();
      if (next.done) break;
      parts.push(next.value);
      have += next.value.length;
    }
    this.window = concat(parts);
    this.at = 0;
    return have >= n;
  }
  async take(n: number): Promise<Uint8Array> {
    if (n < 0 || !(await this.more(n))) throw broken("It breaks off in the middle.");
    return this.window.subarray(this.at, (this.at += n));
  }
  /** A zig-zag varint. */
  async long(): Promise<number> {
    let value = 0;
    for (let scale = 1; ; scale *= 128) {
      const byte = (await this.take(1))[0]!;
      value += (byte & 127) * scale;
      if (byte < 128) break;
      if (scale > 2 ** 49) throw broken("A length in it is not a number.");
    }
    return value % 2 === 0 ? value / 2 : -(value + 1) / 2;
  }
  async end(): Promise<void> {
    await this.chunks.return?.();
  }
}

/** Writes a number that is not negative as Avro's zig-zag varint; gives its length. */
export function writeLong(bytes: Uint8Array, n: number): number {
  let at = 0;
  for (let rest = n * 2; ; rest = Math.floor(rest / 128)) {
    if (rest < 128) {
      bytes[at++] = rest;
      return at;
    }
    bytes[at++] = (rest % 128) + 128;
  }
}

export async function unpackBlock(bytes: Uint8Array, codec: string): Promise<Uint8Array> {
  if (codec === "null") return bytes;
  if (codec === "deflate") return inflated(bytes, "deflate-raw");
  if (codec === "snappy") {
    // Snappy's own beginning says how long it becomes; four bytes of checksum follow it.
    let length = 0;
    for (let i = 0, scale = 1; i < 5; i++, scale *= 128) {
      length += (bytes[i]! & 127) * scale;
      if (bytes[i]! < 128) break;
    }
    // At its best it makes sixty-four bytes of three.
    if (length > bytes.length * 32) throw broken("A block says that it unpacks to more than it can.");
    const out = new Uint8Array(length);
    snappyUncompress(bytes.subarray(0, -4), out);
    return out;
  }
  throw new SieveError("avro-codec", `The Avro file is packed by ${codec}, which can't be read.`, {
    hint: "Ask the sender for deflate, snappy or no packing.",
  });
}
