import { analyse } from "chardet";
import { isUtf8 } from "../kernel/bytes.ts";
import { SieveError } from "../kernel/problem.ts";
import { decodingOf } from "./decode.ts";
import { encodingOf, type Encoding } from "./options.ts";

/** The encoding as set, or found from the file's beginning, and why. Throws `not-text`, `encoding-unknown`. */
export function encodingFor(
  head: Uint8Array,
  whole: boolean,
  set: string | undefined,
): { encoding: Encoding; why: string } {
  if (set && set !== "auto") return { encoding: encodingOf(set), why: "as set" };
  return detectEncoding(head, whole);
}

/** Encodings of several bytes a character, by the names that chardet has for them. */
const MANY_BYTES: Record<string, Encoding> = { Shift_JIS: "shift_jis", GB18030: "gb18030" };

function detectEncoding(head: Uint8Array, whole: boolean): { encoding: Encoding; why: string } {
  const [a, b, c] = head;
  if (a === 0xef && b === 0xbb && c === 0xbf) return { encoding: "utf-8", why: "byte order mark" };
  if (a === 0xff && b === 0xfe) return { encoding: "utf-16le", why: "byte order mark" };
  if (a === 0xfe && b === 0xff) return { encoding: "utf-16be", why: "byte order mark" };

  let nulEven = 0;
  let nulOdd = 0;
  let controls = 0;
  for (let i = 0; i < head.length; i++) {
    const byte = head[i]!;
    if (byte === 0) {
      if (i % 2 === 0) nulEven++;
      else nulOdd++;
    } else if ((byte < 32 && byte !== 9 && byte !== 10 && byte !== 13 && byte !== 12 && byte !== 31) || byte === 127) {
      controls++;
    }
  }
  const half = head.length / 2;
  if (head.length >= 4 && nulOdd > half * 0.6 && nulEven < half * 0.1) {
    return { encoding: "utf-16le", why: "every other byte is zero" };
  }
  if (head.length >= 4 && nulEven > half * 0.6 && nulOdd < half * 0.1) {
    return { encoding: "utf-16be", why: "every other byte is zero" };
  }
  const zeros = nulEven + nulOdd;
  if (zeros > head.length * 0.05 || controls > head.length * 0.02) {
    throw new SieveError("not-text", "The file is not text.", {
      detail: `${zeros} of its first ${head.length} bytes are NUL and ${controls} are other control characters.`,
      hint: "Ask the sender for delimited text, or set the encoding if you know it.",
    });
  }
  // The sample may end inside a character.
  let end = head.length;
  if (!whole) while (end > 0 && end > head.length - 4 && (head[end - 1]! & 0xc0) === 0x80) end--;
  if (!whole && end > 0 && head[end - 1]! >= 0xc0) end--;
  if (isUtf8(head, 0, end)) return { encoding: "utf-8", why: "all bytes fit" };
  // Single bytes over 127 among lines that are otherwise UTF-8 are faults in UTF-8; many are another encoding.
  let wellFormed = 0;
  let illFormed = 0;
  for (let p = 0; p < end;) {
    if (head[p]! < 0x80) {
      p++;
      continue;
    }
    const n = head[p]! >= 0xf0 ? 4 : head[p]! >= 0xe0 ? 3 : 2;
    if (p + n <= end && isUtf8(head, p, p + n)) {
      wellFormed++;
      p += n;
    } else {
      illFormed++;
      p++;
    }
  }
  if (wellFormed > illFormed * 4) {
    return { encoding: "utf-8", why: `${wellFormed} characters fit UTF-8, ${illFormed} bytes do not` };
  }
  const guess = guessBytes(head);
  return { encoding: guess.encoding, why: `${illFormed} bytes do not fit UTF-8; ${guess.why}` };
}

/** The encoding of text that is not UTF-8: by its sequences of bytes, then by which letters come of them. */
function guessBytes(head: Uint8Array): { encoding: Encoding; why: string } {
  const many = analyse(head).find((g) => g.name in MANY_BYTES && g.confidence >= 80);
  const named = many && fitsWholly(head, MANY_BYTES[many.name]!) ? MANY_BYTES[many.name]! : manyBytes(head);
  if (named) return { encoding: named, why: `its sequences of bytes are those of ${named}` };
  const high = head.reduce((n, b) => n + (b > 127 ? 1 : 0), 0);
  let best = { encoding: "windows-1252" as Encoding, score: -Infinity };
  for (const encoding of SINGLE_BYTE) {
    // Few bytes prove little: then it is the commonest encoding of the kind.
    const doubt = encoding === "windows-1252" ? 0 : 0.3 + 3 / high;
    const score = letterScore(head, encoding) - doubt;
    if (score > best.score) best = { encoding, score };
  }
  // The sign ¤ is in no text that anybody sends; the euro, in its place there, is in many.
  if (best.encoding === "windows-1252" && head.includes(0xa4) && !head.some((b) => b >= 0x80 && b < 0xa0)) {
    return { encoding: "iso-8859-15", why: "as iso-8859-15 they are letters, and the byte A4 is the euro" };
  }
  return { encoding: best.encoding, why: `as ${best.encoding} they are letters among letters` };
}

/**
 * An encoding of several bytes a character in which a short text, of which there is no telling by how
 * often its characters come, is words of such characters: they stand beside each other, while letters
 * with accents, which could be taken for halves of them, stand among ASCII letters.
 */
function manyBytes(head: Uint8Array): Encoding | null {
  const words = (encoding: Encoding): number => {
    const text = new TextDecoder(encoding).decode(head).slice(0, -2);
    const many = text.match(/[\u3005-\u30ff\u3400-\u9fff\uff01-\uff5e\u{20000}-\u{2ffff}]/gu)?.length ?? 0;
    const together = text.match(/[\u3005-\u30ff\u3400-\u9fff]{2,}/gu)?.join("").length ?? 0;
    const strange = text.match(/[\ufffd\uff61-\uff9f\ue000-\uf8ff]/g)?.length ?? 0;
    return many < 4 || strange > many * 0.02 ? 0 : together / many;
  };
  // Both bytes over A0: that is how the commonest characters are written in the one, and half-width
  // letters, which hardly anybody uses, in the other.
  const fits = (["gb18030", "shift_jis"] as const).filter((encoding) => words(encoding) > 0.8);
  if (fits.length < 2) return fits[0] ?? null;
  let pairs = 0;
  let high = 0;
  for (let p = 0; p + 1 < head.length; p++) {
    if (head[p]! < 0x80) continue;
    pairs++;
    if (head[p]! > 0xa0 && head[p + 1]! > 0xa0) high++;
    p++;
  }
  return high > pairs * 0.9 ? "gb18030" : "shift_jis";
}

function fitsWholly(head: Uint8Array, encoding: Encoding): boolean {
  const text = new TextDecoder(encoding).decode(head.subarray(0, head.length - 4));
  return !text.slice(0, -2).includes("\ufffd");
}

/** Tried in this order; of two that read the same, the first. */
const SINGLE_BYTE: readonly Encoding[] = ["windows-1252", "windows-1250", "iso-8859-2", "iso-8859-15", "macintosh"];
/** Letters beyond ASCII that texts in the languages of Europe are full of. */
const COMMON = new Set("éèêëàâäáãåæçñöôóòõøüûúùíîïìßÉÈÀÄÖÜÅÆØÇÑÁÍÓÚąćęłńóśźżĄĆĘŁŃŚŹŻčďěňřšťůžČĎĚŇŘŠŤŮŽőűăâîșțşţđ");

/** How much the bytes over 127 are letters that stand beside letters of their own case, per byte. */
function letterScore(head: Uint8Array, encoding: Encoding): number {
  const decoding = decodingOf(encoding);
  if (decoding.kind !== "table") return -Infinity;
  const characters = decoding.table.map((bytes) => (bytes ? new TextDecoder().decode(bytes) : "\ufffd"));
  let score = 0;
  let n = 0;
  for (let p = 0; p < head.length; p++) {
    if (head[p]! < 128) continue;
    n++;
    const c = characters[head[p]!]!;
    const before = p > 0 ? characters[head[p - 1]!]! : " ";
    const after = characters[head[p + 1] ?? 32]!;
    const besideLetter = /\p{L}/u.test(before) || /\p{L}/u.test(after);
    if (c === "\ufffd") score -= 4;
    else if (/\p{Ll}/u.test(c)) score += (besideLetter ? 2 : -1) - (COMMON.has(c) ? 0 : 1);
    else if (/\p{Lu}/u.test(c))
      score += (/\p{Ll}/u.test(before) ? -2 : besideLetter ? 1.5 : 0) - (COMMON.has(c) ? 0 : 1);
    else if (/[’‘“”–—…°§€£«»·½¼²³µ×]/.test(c)) score += 1;
    else if (/[\u00a0]/.test(c)) score += besideLetter ? 0 : 0.5;
    else score -= 1;
  }
  return n === 0 ? 0 : score / n;
}
