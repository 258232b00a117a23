import { concat } from "../kernel/bytes.ts";
import { SieveError, grouped } from "../kernel/problem.ts";
import { decodingOf } from "./encoding/decode.ts";
import type { Encoding } from "./encoding/names.ts";

/** Longest line of a text that is cut into lines; a longer one is not what the format promises. */
const LONGEST_LINE = 16 << 20;

/** The bytes of a text file as UTF-8, without its byte order mark. Bytes that don't fit become U+FFFD. */
export async function* utf8Chunks(chunks: AsyncIterable<Uint8Array>, encoding: Encoding): AsyncGenerator<Uint8Array> {
  const decoding = decodingOf(encoding);
  let first = true;
  const withoutMark = (bytes: Uint8Array): Uint8Array => {
    const marked = first && bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf;
    first = false;
    return marked ? bytes.subarray(3) : bytes;
  };
  if (decoding.kind === "units") {
    const encoder = new TextEncoder();
    for await (const chunk of chunks) {
      yield withoutMark(encoder.encode(decoding.decoder.decode(chunk, { stream: true })));
    }
    yield encoder.encode(decoding.decoder.decode());
    return;
  }
  if (decoding.kind === "same") {
    for await (const chunk of chunks) if (chunk.length > 0) yield withoutMark(chunk);
    return;
  }
  const unknown = Uint8Array.of(0xef, 0xbf, 0xbd);
  for await (const chunk of chunks) {
    const out = new Uint8Array(chunk.length * 3);
    let q = 0;
    for (const byte of chunk) for (const b of decoding.table[byte] ?? unknown) out[q++] = b;
    yield out.subarray(0, q);
  }
}

/** Lines that lie beside each other in a piece of the text; valid until the next are asked for. */
export interface Lines {
  readonly bytes: Uint8Array;
  /** Where each begins in `bytes`, and ends without its line end. */
  readonly from: readonly number[];
  readonly to: readonly number[];
  /** Number of the first, from 1. */
  readonly line: number;
  /** Offset in the text of `bytes[0]`. */
  readonly base: number;
}

/** Cuts UTF-8 text into lines at LF or CRLF. Throws `line-too-long`. */
export async function* lines(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Lines> {
  let window = new Uint8Array(0);
  let base = 0;
  let line = 1;
  for await (const chunk of chunks) {
    const all = window.length > 0 ? concat([window, chunk]) : chunk;
    const from: number[] = [];
    const to: number[] = [];
    let at = 0;
    for (;;) {
      const end = all.indexOf(10, at);
      if (end < 0) break;
      from.push(at);
      to.push(end > at && all[end - 1] === 13 ? end - 1 : end);
      at = end + 1;
    }
    if (all.length - at > LONGEST_LINE) {
      throw new SieveError(
        "line-too-long",
        `Line ${grouped(line + from.length)} is longer than ${grouped(LONGEST_LINE)} bytes.`,
        { hint: "Check that the file is what its name says." },
      );
    }
    if (from.length > 0) yield { bytes: all, from, to, line, base };
    line += from.length;
    base += at;
    window = all.slice(at);
  }
  if (window.length === 0) return;
  const end = window.at(-1) === 13 ? window.length - 1 : window.length;
  yield { bytes: window, from: [0], to: [end], line, base };
}

/** A text from its first character that is no blank, without a byte order mark. */
export function begun(text: string): string {
  return text.replace(/^\ufeff/, "").trimStart();
}
