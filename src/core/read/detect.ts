import { isUtf8 } from "../bytes.ts";
import { SieveError } from "../problem.ts";
import { DelimitedReader } from "./delimited.ts";
import { encodingOf, type DelimitedOptions, type Encoding } from "./options.ts";

/** What a person or a plan has already decided; the rest is found out from the file's beginning. */
export interface ReadSettings {
  readonly delimiter?: string | undefined;
  readonly quote?: string | undefined;
  readonly escape?: string | undefined;
  readonly header?: boolean | undefined;
  readonly skip?: number | undefined;
  readonly encoding?: string | undefined;
}

/** How many bytes of a file's beginning are looked at. */
export const DETECT_BYTES = 65_536;

const DELIMITERS = [",", ";", "\t", "|", "^", "~", "\u001f"];

/** The evidence behind a guess: how many of the first records each delimiter would give the same number of cells. */
export interface Detected {
  readonly options: DelimitedOptions;
  readonly evidence: {
    readonly encoding: string;
    readonly delimiter: string;
  };
}

/**
 * Decides how to read a delimited file from its first bytes and what was set already.
 * @param head the first DETECT_BYTES of the file, or all of it
 * @param whole true when `head` is the whole file
 * Throws `not-text` for what is not text at all, and `encoding-unknown`.
 */
export function detectDelimited(head: Uint8Array, whole: boolean, settings: ReadSettings = {}): Detected {
  const encoding = settings.encoding && settings.encoding !== "auto" ? encodingOf(settings.encoding) : null;
  const found = encoding ? { encoding, why: "as set" } : detectEncoding(head, whole);
  const quote = settings.quote ?? '"';
  const base = {
    quote,
    escape: settings.escape ?? quote,
    header: settings.header ?? true,
    skip: settings.skip ?? 0,
    encoding: found.encoding,
  };
  if (settings.delimiter && settings.delimiter !== "auto") {
    return {
      options: { ...base, delimiter: settings.delimiter },
      evidence: { encoding: found.why, delimiter: "as set" },
    };
  }
  let best = { delimiter: ",", score: 0, why: "no delimiter stands out, so a comma" };
  for (const delimiter of DELIMITERS) {
    if (delimiter === quote) continue;
    const { score, why } = consistency(head, { ...base, delimiter });
    if (score > best.score) best = { delimiter, score, why };
  }
  return {
    options: { ...base, delimiter: best.delimiter },
    evidence: { encoding: found.why, delimiter: best.why },
  };
}

function consistency(head: Uint8Array, options: DelimitedOptions): { score: number; why: string } {
  try {
    const reader = new DelimitedReader({ ...options, header: false });
    let read = 0;
    let bad = 0;
    for (const block of reader.push(head, true)) {
      read += block.count;
      bad += block.unreadable.size;
    }
    const width = reader.columns?.length ?? 1;
    if (width < 2 || read === 0) return { score: 0, why: "" };
    // The last record may be cut off by the end of the sample.
    const good = read === 1 ? 1 : (read - bad) / read;
    return {
      score: good * good * Math.log2(1 + width),
      why: `${read - bad} of the first ${read} lines have ${width} cells`,
    };
  } catch {
    return { score: 0, why: "" };
  }
}

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
    return { encoding: "utf-8", why: `${wellFormed} characters fit, ${illFormed} bytes do not` };
  }
  return { encoding: "windows-1252", why: `${illFormed} bytes do not fit UTF-8` };
}
