import { analyse } from "chardet";
import { isUtf8 } from "../bytes.ts";
import { SieveError } from "../problem.ts";
import { decodingOf } from "./decode.ts";
import { looksLikeNames } from "./fixed.ts";
import type { Evidence, FormatId, ReadSettings } from "./format.ts";
import { encodingOf, type DelimitedOptions, type Encoding } from "./options.ts";

/** How many bytes of a file's beginning are looked at. */
export const DETECT_BYTES = 65_536;

const DELIMITERS = [",", ";", "\t", "|", "^", "~", "\u001f", "||", "::"];
/** Lines of the beginning that delimiters are tried on. */
const LOOKED_AT = 400;
/** Lines before the header that are passed over without being told to. */
const MOST_SKIPPED = 30;

export interface Detected {
  readonly options: DelimitedOptions;
  readonly evidence: Evidence & { readonly encoding: string; readonly delimiter: string };
}

/**
 * Decides how to read a delimited file from its first bytes and what was set already.
 * @param head the first DETECT_BYTES of the file, or all of it
 * @param whole true when `head` is the whole file
 * Throws `not-text` for what is not text at all, and `encoding-unknown`.
 */
export function detectDelimited(head: Uint8Array, whole: boolean, settings: ReadSettings = {}): Detected {
  const found = encodingFor(head, whole, settings.encoding);
  const quote = settings.quote ?? '"';
  const text = headText(head, found.encoding);
  const set = settings.delimiter && settings.delimiter !== "auto" ? settings.delimiter : null;
  let best = {
    delimiter: set ?? ",",
    score: -1,
    why: "no delimiter stands out, so a comma",
    skip: 0,
    table: [] as string[][],
  };
  for (const delimiter of set ? [set] : DELIMITERS) {
    if (delimiter === quote) continue;
    const tried = consistency(text, delimiter, quote, settings.comment ?? "", settings.skip, whole);
    if (tried.score > best.score && (set || tried.score > 0)) best = { delimiter, ...tried };
  }
  const skip = settings.skip ?? best.skip;
  const header = settings.header ?? looksLikeNames(best.table[0] ?? [], best.table.slice(1));
  return {
    options: {
      delimiter: best.delimiter,
      quote,
      escape: settings.escape ?? quote,
      header,
      skip,
      encoding: found.encoding,
      ...(settings.comment ? { comment: settings.comment } : {}),
      ...(settings.skip_end ? { skip_end: settings.skip_end } : {}),
    },
    evidence: {
      encoding: found.why,
      delimiter: set ? "as set" : best.why,
      header:
        settings.header !== undefined
          ? "as set"
          : header
            ? `line ${skip + 1} is names and not values`
            : `line ${skip + 1} looks like the lines after it`,
      skip:
        settings.skip !== undefined
          ? "as set"
          : skip > 0
            ? `${skip} lines with fewer cells stand before the first whole one`
            : "the first line is as wide as the rest",
    },
  };
}

/** The text of a file's beginning, for guessing only. */
export function headText(head: Uint8Array, encoding: Encoding): string {
  const decoding = decodingOf(encoding);
  const label = encoding === "iso-8859-1" ? "windows-1252" : encoding;
  const text = (decoding.kind === "units" ? decoding.decoder : new TextDecoder(label)).decode(head);
  return text.startsWith("\ufeff") ? text.slice(1) : text;
}

/** The first lines as cells, quotes respected where they close. */
function splitTable(
  text: string,
  delimiter: string,
  quote: string,
  comment: string,
): { table: string[][]; lines: number[] } {
  const table: string[][] = [];
  /** How many lines stand before each. */
  const lines: number[] = [];
  let p = 0;
  let line = 0;
  while (p < text.length && table.length < LOOKED_AT) {
    const row: string[] = [];
    const before = line;
    if (comment !== "" && text.startsWith(comment, p)) {
      const at = text.slice(p).search(/[\r\n]/);
      p = at < 0 ? text.length : p + at;
    } else {
      for (;;) {
        let cell: string;
        const close = quote !== "" && text[p] === quote ? closing(text, p, quote, delimiter) : -1;
        if (close > 0) {
          cell = text.slice(p + 1, close).replaceAll(quote + quote, quote);
          line += cell.split("\n").length - 1;
          p = close + 1;
        } else {
          const from = p;
          while (p < text.length && text[p] !== "\n" && text[p] !== "\r" && !text.startsWith(delimiter, p)) p++;
          cell = text.slice(from, p);
        }
        row.push(cell);
        if (!text.startsWith(delimiter, p) || p >= text.length) break;
        p += delimiter.length;
      }
      if (row.length > 1 || row[0] !== "") {
        table.push(row);
        lines.push(before);
      }
    }
    if (text[p] === "\r") p++;
    if (text[p] === "\n") p++;
    line++;
  }
  return { table, lines };
}

/** Where a quoted cell closes, or -1 when it does not before a delimiter or line end follows. */
function closing(text: string, from: number, quote: string, delimiter: string): number {
  for (let p = from + 1; ; p++) {
    p = text.indexOf(quote, p);
    if (p < 0) return -1;
    if (text[p + 1] === quote) p++;
    else {
      const next = text[p + 1];
      return next === undefined || next === "\n" || next === "\r" || text.startsWith(delimiter, p + 1) ? p : -1;
    }
  }
}

function consistency(
  text: string,
  delimiter: string,
  quote: string,
  comment: string,
  skip: number | undefined,
  whole: boolean,
): { score: number; why: string; skip: number; table: string[][] } {
  const split = splitTable(text, delimiter, quote, comment);
  const { lines } = split;
  let { table } = split;
  // The last line may be cut off by the end of the sample.
  if (!whole && table.length > 1 && table.length < LOOKED_AT) table.pop();
  if (skip !== undefined) table = table.filter((_, i) => lines[i]! >= skip);
  const counts = new Map<number, number>();
  for (const row of table) counts.set(row.length, (counts.get(row.length) ?? 0) + 1);
  let width = table[0]?.length ?? 1;
  for (const [n, times] of counts) if (times > (counts.get(width) ?? 0)) width = n;
  let passed = 0;
  if (skip === undefined && (counts.get(width) ?? 0) >= 3) {
    // Titles before the table have a cell or two; a record that is cut short is no title.
    while (passed < MOST_SKIPPED && passed < table.length && table[passed]!.filter((c) => c !== "").length <= width / 2)
      passed++;
    if (table[passed]?.length !== width) passed = 0;
    table = table.slice(passed);
  }
  if (width < 2 || table.length === 0) return { score: 0, why: "", skip: 0, table };
  const fit = table.filter((row) => row.length === width).length;
  const good = table.length === 1 ? 1 : fit / table.length;
  return {
    // A doubled bar is two bars too: of two that fit equally well, the one that leaves no empty cells between.
    score: good * good * Math.log2(1 + width) * (delimiter.length > 1 ? 1.5 : 1),
    why: `${fit} of the first ${table.length} lines have ${width} cells`,
    skip: passed > 0 ? lines[passed]! : 0,
    table,
  };
}

/** The format of a file that is text, from its beginning and its name. */
export function detectTextFormat(text: string, name: string): { as: FormatId; why: string } {
  const trimmed = text.replace(/^\ufeff/, "").trimStart();
  if (trimmed.startsWith("<") && /^<(\?xml|!--|!DOCTYPE|[\p{L}_])/iu.test(trimmed))
    return { as: "xml", why: "it begins with a tag" };
  if (trimmed.startsWith("{") || trimmed.startsWith("[")) {
    const [first = "", second = ""] = trimmed.split(/\r?\n/).filter((l) => l.trim() !== "");
    const alone = second === "" && /\[\s*\{/.test(first);
    if (first.startsWith("{") && isJson(first) && !alone && (second === "" || second.startsWith("{"))) {
      return { as: "json-lines", why: "each line is a JSON document" };
    }
    if (/^[[{]\s*(["\]}{[]|-?\d|true|false|null)/.test(trimmed)) return { as: "json", why: "it begins as JSON does" };
  }
  if (/\.(txt|dat|fwf|prn)$/i.test(name) && looksFixed(text))
    return { as: "fixed", why: "columns stand at the same places in every line" };
  return { as: "delimited", why: "text in lines" };
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}

/** Lines of about one length, with blanks at the same places, and no delimiter that fits. */
function looksFixed(text: string): boolean {
  const all = text.split(/\r?\n/).slice(0, 100);
  all.pop();
  const body = all.filter((l) => l.trim() !== "");
  if (body.length < 3) return false;
  const fits = DELIMITERS.some((d) => consistency(text, d, '"', "", undefined, false).score > 1.2);
  const blanks = body.filter((l) => /\S {1,}\S/.test(l)).length;
  return !fits && blanks === body.length;
}

/** The encoding as set, or found from the file's beginning, and why. Throws `not-text`, `encoding-unknown`. */
export function encodingFor(
  head: Uint8Array,
  whole: boolean,
  set: string | undefined,
): { encoding: Encoding; why: string } {
  if (set && set !== "auto") return { encoding: encodingOf(set), why: "as set" };
  return detectEncoding(head, whole);
}

const CHARDET: Record<string, Encoding> = {
  Shift_JIS: "shift_jis",
  GB18030: "gb18030",
  "ISO-8859-2": "iso-8859-2",
  "windows-1250": "windows-1250",
};

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
  const guesses = analyse(head).filter(
    (g) => g.name in CHARDET || g.name === "ISO-8859-1" || g.name === "windows-1252",
  );
  const many = guesses.find((g) => g.name === "Shift_JIS" || g.name === "GB18030");
  if (many && many.confidence >= 80 && fitsWholly(head, CHARDET[many.name]!)) {
    return { encoding: CHARDET[many.name]!, why: `its sequences of bytes are those of ${CHARDET[many.name]}` };
  }
  const high = head.reduce((n, b) => n + (b > 127 ? 1 : 0), 0);
  let best = { encoding: "windows-1252" as Encoding, score: -Infinity };
  for (const encoding of SINGLE_BYTE) {
    // Few bytes prove little: then it is the commonest encoding of the kind.
    const doubt = encoding === "windows-1252" ? 0 : 0.3 + 3 / high;
    const score = letterScore(head, encoding) - doubt;
    if (score > best.score) best = { encoding, score };
  }
  return { encoding: best.encoding, why: `as ${best.encoding} they are letters among letters` };
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
