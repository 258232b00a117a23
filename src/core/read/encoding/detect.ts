import { isUtf8 } from "../../kernel/bytes.ts";
import { SieveError } from "../../kernel/problem.ts";
import type { Doubt } from "../part.ts";
import { decodeText } from "./decode.ts";
import { LEAST_MARGIN, guessEncoding, type Guess } from "./guess.ts";
import { encodingOf, type Encoding } from "./names.ts";

/** How a text is to be decoded, why, and what is doubtful about it. */
export interface FoundEncoding {
  readonly encoding: Encoding;
  readonly why: string;
  readonly doubt?: Doubt | null;
}

/** The encoding as set, or found from the file's beginning, and why. Throws `not-text`, `encoding-unknown`. */
export function encodingFor(head: Uint8Array, whole: boolean, set: string | undefined): FoundEncoding {
  if (set && set !== "auto") return { encoding: encodingOf(set), why: "as set" };
  return detectEncoding(head, whole);
}

/** Byte order marks, the longer ones first. */
const MARKS: readonly (readonly [Encoding, readonly number[]])[] = [
  ["utf-8", [0xef, 0xbb, 0xbf]],
  ["utf-32le", [0xff, 0xfe, 0, 0]],
  ["utf-32be", [0, 0, 0xfe, 0xff]],
  ["utf-16le", [0xff, 0xfe]],
  ["utf-16be", [0xfe, 0xff]],
  ["gb18030", [0x84, 0x31, 0x95, 0x33]],
];

function detectEncoding(head: Uint8Array, whole: boolean): FoundEncoding {
  for (const [encoding, mark] of MARKS) {
    if (mark.every((byte, i) => head[i] === byte)) return { encoding, why: "byte order mark" };
  }
  const escapes = byEscapes(head);
  if (escapes) return escapes;
  let zeros = 0;
  let controls = 0;
  for (const byte of head) {
    if (byte === 0) zeros++;
    else if ((byte < 30 && ![9, 10, 12, 13].includes(byte)) || byte === 127) controls++;
  }
  const wide = zeros > 0 ? wideEncoding(head) : null;
  if (wide) return { encoding: wide, why: `read two or four bytes at a time it is text, as ${wide}` };
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
  const guess = guessEncoding(head.subarray(0, end));
  return {
    encoding: guess.best.encoding,
    why: `${illFormed} bytes do not fit UTF-8; ${whyGuessed(guess)}`,
    doubt: doubtOf(guess),
  };
}

/** ISO 2022 says by escapes which table comes next, and has no byte over 127. */
function byEscapes(head: Uint8Array): FoundEncoding | null {
  if (!head.includes(0x1b) || head.some((b) => b > 127)) return null;
  const text = new TextDecoder().decode(head);
  if (/\u001b\$\)C/.test(text)) {
    throw new SieveError("encoding-unknown", "The file is in ISO-2022-KR, which can’t be read.", {
      hint: "Ask the sender for UTF-8, or for EUC-KR.",
    });
  }
  return /\u001b\$[@B]/.test(text)
    ? { encoding: "iso-2022-jp", why: "it changes tables by the escapes of ISO 2022" }
    : null;
}

/** The share of noughts, and of ASCII among the other bytes, from which on a text is one of single bytes with some noughts in it. */
const FEW_NOUGHTS = 0.3;
const MOSTLY_ASCII = 0.9;
/** The share of noughts that may stand where a letter's own byte is. */
const STRAY_NOUGHTS = 0.1;

/** UTF-16 or UTF-32 without a mark: the one that gives text, and of two the one with more of ASCII, which ends lines and cells. */
function wideEncoding(head: Uint8Array): Encoding | null {
  const noughts = head.filter((b) => b === 0).length;
  const ascii = head.filter((b) => (b >= 32 && b < 127) || b === 9 || b === 10 || b === 13).length;
  // Two letters of ASCII are a Chinese sign in UTF-16, but hardly any text of such signs is made of pairs of them alone.
  if (noughts < head.length * FEW_NOUGHTS && ascii > (head.length - noughts) * MOSTLY_ASCII) return null;
  let best: { encoding: Encoding; ascii: number } | null = null;
  for (const encoding of ["utf-32le", "utf-32be", "utf-16le", "utf-16be"] as const) {
    const unit = encoding.startsWith("utf-32") ? 4 : 2;
    // What stands before or after a letter of ASCII is nought; that a letter's own byte is one is rare.
    const own = encoding.endsWith("le") ? 0 : unit - 1;
    if (head.filter((b, i) => b === 0 && i % unit === own).length > noughts * STRAY_NOUGHTS) continue;
    const text = decodeText(head.subarray(0, head.length - (head.length % unit)), encoding);
    // Half a character may be at the end.
    const body = text.slice(0, -1);
    if (body === "" || /[\ufffd\p{Cn}\p{Co}]|(?![\t\n\r\f\u001e\u001f])\p{Cc}/u.test(body)) continue;
    const ascii = body.match(/[\t\n\r -~]/g)?.length ?? 0;
    if (ascii > 0 && (!best || ascii > best.ascii)) best = { encoding, ascii };
  }
  return best?.encoding ?? null;
}

function whyGuessed({ best, next, words }: Guess): string {
  const language = new Intl.DisplayNames("en", { type: "language" }).of(best.language)!;
  const other = next && words[0] ? `; as ${next.encoding} it would be ${words[0][1]}, and not ${words[0][0]}` : "";
  return `as ${best.encoding} its letters follow one another as they do in ${language}${other}`;
}

function doubtOf({ best, next, margin, words }: Guess): Doubt | null {
  if (!next || margin >= LEAST_MARGIN) return null;
  const reading = (encoding: Encoding, i: 0 | 1): Doubt["readings"][number] => ({
    value: encoding,
    says: encoding,
    shows: words.map((w) => w[i]),
  });
  return { setting: "encoding", readings: [reading(best.encoding, 0), reading(next.encoding, 1)] };
}
