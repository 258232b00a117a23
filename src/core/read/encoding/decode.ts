import iconv from "iconv-lite";
import { utf8 } from "../../kernel/bytes.ts";
import type { Encoding } from "./names.ts";

/** What turns bytes into text, piece by piece. */
export interface StreamDecoder {
  decode(bytes?: Uint8Array, options?: { stream?: boolean }): string;
}

/**
 * What stands between a file's bytes and the scanner.
 *
 * - `same`: UTF-8, scanned as it is.
 * - `table`: one byte a character and ASCII below 128: scanned as it is, cells with other bytes are
 *   rewritten by `table` afterwards, so byte ranges stay those of the file.
 * - `units`: UTF-16: turned into UTF-8 first; byte ranges are found by counting code units. Also
 *   encodings of several bytes a character: there the ranges are those of the text once it is UTF-8.
 */
export type Decoding =
  | { readonly kind: "same" }
  | { readonly kind: "table"; readonly table: readonly (Uint8Array | null)[] }
  | { readonly kind: "units"; readonly decoder: StreamDecoder };

/** Encodings whose characters have one byte or several, so that no place in the file can be entered at will. */
const MANY_BYTES: ReadonlySet<Encoding> = new Set([
  "utf-32le",
  "utf-32be",
  "shift_jis",
  "euc-jp",
  "iso-2022-jp",
  "gb18030",
  "big5",
  "euc-kr",
]);

export function isManyBytes(encoding: Encoding): boolean {
  return MANY_BYTES.has(encoding);
}

const tables = new Map<Encoding, readonly (string | null)[]>();

/** Of one byte a character, the characters by byte; null for a byte that the encoding leaves undefined. */
export function charactersOf(encoding: Encoding): readonly (string | null)[] {
  let table = tables.get(encoding);
  if (!table) tables.set(encoding, (table = makeTable(encoding)));
  return table;
}

function makeTable(encoding: Encoding): readonly (string | null)[] {
  const own = decoderFor(encoding);
  return Array.from({ length: 256 }, (_, byte) => {
    if (encoding === "iso-8859-1") return byte >= 0x80 && byte < 0xa0 ? null : String.fromCharCode(byte);
    const text = own(Uint8Array.of(byte));
    const code = text.charCodeAt(0);
    // Bytes that the encoding leaves undefined decode to C1 controls, private use or U+FFFD: not text.
    const undefinedByte = code === 0xfffd || (code >= 0x80 && code < 0xa0) || (code >= 0xe000 && code < 0xf8ff);
    return byte > 127 && undefinedByte ? null : text;
  });
}

/** The whole decoder of a table: the standard's where it has one. Node's own takes windows-1252 for ISO 8859-1. */
function decoderFor(encoding: Encoding): (bytes: Uint8Array) => string {
  if (encoding !== "windows-1252") {
    try {
      const decoder = new TextDecoder(encoding);
      return (bytes) => decoder.decode(bytes);
    } catch {
      // One that the standard does not have.
    }
  }
  return (bytes) => iconv.decode(bytes, encoding);
}

/** A decoder of a text as a whole or piece by piece; what does not fit becomes U+FFFD. */
export function textDecoder(encoding: Encoding): StreamDecoder {
  if (encoding !== "utf-32le" && encoding !== "utf-32be") return new TextDecoder(encoding, { ignoreBOM: true });
  let decoder = iconv.getDecoder(encoding, { stripBOM: false });
  return {
    decode(bytes = new Uint8Array(0), { stream = false } = {}) {
      const text = decoder.write(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length));
      if (stream) return text;
      const rest = decoder.end() ?? "";
      decoder = iconv.getDecoder(encoding, { stripBOM: false });
      return text + rest;
    },
  };
}

export function decodingOf(encoding: Encoding): Decoding {
  if (encoding === "utf-8") return { kind: "same" };
  if (encoding === "utf-16le" || encoding === "utf-16be" || isManyBytes(encoding)) {
    return { kind: "units", decoder: textDecoder(encoding) };
  }
  return { kind: "table", table: charactersOf(encoding).map((text) => (text === null ? null : utf8(text))) };
}

/** A text of any encoding, for guessing only: bytes that it leaves undefined become U+FFFD. */
export function decodeText(bytes: Uint8Array, encoding: Encoding): string {
  if (encoding === "utf-8") return new TextDecoder().decode(bytes);
  if (encoding === "utf-16le" || encoding === "utf-16be" || isManyBytes(encoding)) {
    const text = textDecoder(encoding).decode(bytes);
    return text.startsWith("\ufeff") ? text.slice(1) : text;
  }
  const characters = charactersOf(encoding);
  let text = "";
  for (const byte of bytes) text += characters[byte] ?? "\ufffd";
  return text;
}

/** UTF-16 code units that a span of UTF-8 bytes stands for. */
export function unitsIn(bytes: Uint8Array, start: number, end: number): number {
  let n = 0;
  for (let p = start; p < end; p++) {
    const b = bytes[p]!;
    if ((b & 0xc0) !== 0x80) n += b >= 0xf0 ? 2 : 1;
  }
  return n;
}
