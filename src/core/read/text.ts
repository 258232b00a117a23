import { SieveError, grouped } from "../problem.ts";
import { decodingOf } from "./decode.ts";
import type { Encoding } from "./options.ts";

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

export interface Line {
  /** From 1. */
  readonly line: number;
  /** Offset of its first byte. */
  readonly start: number;
  /** Without its line end; valid until the next line is asked for. */
  readonly bytes: Uint8Array;
}

/** Cuts UTF-8 text into lines at LF or CRLF. Throws `line-too-long`. */
export async function* lines(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Line[]> {
  let window = new Uint8Array(0);
  let base = 0;
  let line = 1;
  for await (const chunk of chunks) {
    let all = chunk;
    if (window.length > 0) {
      all = new Uint8Array(window.length + chunk.length);
      all.set(window);
      all.set(chunk, window.length);
    }
    const found: Line[] = [];
    let from = 0;
    for (;;) {
      const at = all.indexOf(10, from);
      if (at < 0) break;
      const to = at > from && all[at - 1] === 13 ? at - 1 : at;
      found.push({ line: line++, start: base + from, bytes: all.subarray(from, to) });
      from = at + 1;
    }
    if (all.length - from > LONGEST_LINE) {
      throw new SieveError("line-too-long", `Line ${grouped(line)} is longer than ${grouped(LONGEST_LINE)} bytes.`, {
        hint: "Check that the file is what its name says.",
      });
    }
    if (found.length > 0) yield found;
    base += from;
    window = all.slice(from);
  }
  if (window.length > 0) {
    const to = window.at(-1) === 13 ? window.length - 1 : window.length;
    yield [{ line, start: base, bytes: window.subarray(0, to) }];
  }
}
