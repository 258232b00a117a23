import type { Encoding } from "./options.ts";
import { utf8 } from "../kernel/bytes.ts";

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
  | { readonly kind: "units"; readonly decoder: TextDecoder };

/** Bytes 0x80 to 0x9f: Node's own decoder takes this encoding for ISO 8859-1 and gives control characters. */
const WINDOWS_1252 = "€\u0081‚ƒ„…†‡ˆ‰Š‹Œ\u008dŽ\u008f" + "\u0090‘’“”•–—˜™š›œ\u009džŸ";

export function decodingOf(encoding: Encoding): Decoding {
  if (encoding === "utf-8") return { kind: "same" };
  if (encoding === "utf-16le" || encoding === "utf-16be" || isManyBytes(encoding)) {
    return { kind: "units", decoder: new TextDecoder(encoding, { ignoreBOM: true }) };
  }
  const decoder = new TextDecoder(encoding === "iso-8859-1" ? "windows-1252" : encoding);
  const table: (Uint8Array | null)[] = [];
  for (let byte = 0; byte < 256; byte++) {
    const special = encoding === "windows-1252" && byte >= 0x80 && byte < 0xa0;
    if (encoding === "iso-8859-1") {
      table.push(byte >= 0x80 && byte < 0xa0 ? null : utf8(String.fromCharCode(byte)));
      continue;
    }
    const text = special ? WINDOWS_1252[byte - 0x80]! : decoder.decode(Uint8Array.of(byte));
    const code = text.charCodeAt(0);
    // Bytes that the encoding leaves undefined decode to C1 controls or U+FFFD: not text.
    table.push(byte > 127 && (code === 0xfffd || (code >= 0x80 && code < 0xa0)) ? null : utf8(text));
  }
  return { kind: "table", table };
}

/** Encodings whose characters have one byte or several, so that no place in the file can be entered at will. */
export function isManyBytes(encoding: Encoding): boolean {
  return encoding === "shift_jis" || encoding === "gb18030";
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
