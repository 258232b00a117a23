import { concat, isUtf8 } from "../kernel/bytes.ts";
import { isOwnHeading } from "../kernel/own-columns.ts";
import { SieveError } from "../kernel/problem.ts";
import { DETECT_BYTES } from "./detect.ts";
import { decodeText } from "./encoding/decode.ts";
import { encodingFor, type FoundEncoding } from "./encoding/detect.ts";
import { encodingOf } from "./encoding/names.ts";
import { isText, type Doubt, type FormatPart, type Opened, type Reader, type SourceFile, type Spool } from "./part.ts";
import type { FormatId } from "./formats.ts";
import { READERS } from "./readers.ts";
import { FORMAT_PARTS, formatPart } from "./schema.ts";
import type { OfEach, ReadSettings } from "./settings.ts";
import { gunzipped, zipEntry, zipNames } from "./unpack.ts";

export type { Opened, SourceFile, Spool } from "./part.ts";

/** Archives inside archives that are opened. */
const MOST_LAYERS = 3;

/** Counts parts across the files of a delivery. */
export interface PartCounter {
  next: number;
}

/** A file that is being opened: what it is called by, its beginning, and what was said of it. */
interface Opening {
  readonly source: SourceFile;
  readonly head: Uint8Array;
  readonly whole: boolean;
  readonly settings: ReadSettings;
  readonly spool: Spool;
  readonly parts: PartCounter;
  /** How many archives it was taken out of. */
  readonly layer: number;
  /** The format that was set, or null. */
  readonly set: FormatPart | null;
  /** How the file's text is encoded, found once; asked for by whoever tells the format, and for the format. */
  encoding(): Promise<FoundEncoding>;
}

/**
 * Opens a file: finds out what it is, takes it out of gzip and zip, and gives its parts one after
 * the other, each to be read before the next is asked for.
 */
export async function* openFile(
  file: SourceFile,
  given: ReadSettings,
  spool: Spool,
  parts: PartCounter = { next: 0 },
  layer = 0,
): AsyncGenerator<Opened> {
  const settings = foundAnew(given);
  const { source, head, whole } = await peek(
    settings.unpacked_mb === undefined ? file : { ...file, mayUnpackTo: settings.unpacked_mb },
  );
  let found: Promise<FoundEncoding> | null = null;
  const opening: Opening = {
    ...{ source, head, whole, settings, spool, parts, layer },
    set: isAuto(settings.as) ? null : formatPart(settings.as!),
    encoding: () => (found ??= findEncoding(source, { head, whole }, settings.encoding)),
  };
  const layered = startsWith(head, "\u001f\u008b") ? "gzip" : startsWith(head, "PK\u0003\u0004") ? "zip" : null;
  if (layered && layer >= MOST_LAYERS) {
    throw new SieveError("too-many-layers", `${file.name} is packed more than ${MOST_LAYERS} times over.`, {
      hint: "Ask the sender for the files themselves.",
    });
  }
  if (layered === "gzip") {
    const within: SourceFile = { ...gunzipped(source), ...(source.once ? { once: true } : {}) };
    yield* openFile(within, settings, spool, parts, layer + 1);
  } else if (layered === "zip") yield* openZip(opening);
  else yield* openPlain(opening);
}

/** A workbook, or each file of an archive. */
async function* openZip(opening: Opening): AsyncGenerator<Opened> {
  const { source, settings, spool, parts, layer } = opening;
  const kept = source.once
    ? { ...(await spool(source.name, source.chunks())), mayUnpackTo: source.mayUnpackTo }
    : source;
  const names = await zipNames(kept);
  for (const part of FORMAT_PARTS) {
    const why = await part.inZip?.(names, (entry) => beginningOf(kept, entry));
    if (why) {
      yield* openAs(opening, part, kept, why);
      return;
    }
  }
  for (const name of names) yield* openFile(zipEntry(kept, name), settings, spool, parts, layer + 1);
}

/** A file that is not packed: of the format that its beginning or the settings say, or the likeliest for a text. */
async function* openPlain(opening: Opening): AsyncGenerator<Opened> {
  const { source, head, settings, spool, parts, layer, set } = opening;
  const first = FORMAT_PARTS.find(({ begins }) => begins && startsWith(head, begins.with));
  if (first) yield* openAs(opening, first, source, first.begins!.why);
  else if (set && set.id !== "delimited" && isOwnHeading(decodeText(head, "utf-8"))) {
    // A file of ours comes back: it is a table, whatever its sender sends as a rule.
    const { unpacked_mb } = settings;
    yield* openFile(source, unpacked_mb === undefined ? {} : { unpacked_mb }, spool, parts, layer);
  } else if (set?.inZip) {
    const is = set.promised?.is ?? set.title;
    throw new SieveError(`${set.id}-broken`, `${source.name} is not ${is}.`, {
      detail: `${is.charAt(0).toUpperCase()}${is.slice(1)} is a zip archive, and this file does not begin as one.`,
      hint: "Check that it is the right file, or change the plan's read section.",
    });
  } else if (startsWith(head, "\u00d0\u00cf\u0011\u00e0")) {
    throw new SieveError("old-workbook", `${source.name} is a workbook in the binary form of before 2007.`, {
      hint: "Open it and save it as .xlsx.",
    });
  } else if (set) yield* openAs(opening, set, source, "as set");
  else {
    const text = decodeText(head, (await opening.encoding()).encoding);
    const { part, why } = formatOfText(text, source.name);
    refuseOtherKind(source.name, part, text);
    yield* openAs(opening, part, source, why);
  }
}

/** The parts of a file of a format. */
async function* openAs(opening: Opening, part: FormatPart, from: SourceFile, why: string): AsyncGenerator<Opened> {
  const { head, whole, settings, spool, parts, layer, set } = opening;
  const declared = part.id === "xml" && isAuto(settings.encoding) ? declaredIn(head) : null;
  const found = isText(part) ? (declared ?? (await opening.encoding())) : null;
  const context = { part: parts.next, spool, encoding: found?.encoding ?? "utf-8", head, whole };
  for await (const opened of readerOf(part).open(from, settings, context)) {
    yield {
      ...opened,
      options: { ...opened.options, ...(found ? { encoding: found.encoding } : {}) },
      evidence: { format: set ? "as set" : why, ...(found ? { encoding: found.why } : {}), ...opened.evidence },
      ...doubtsOf(found?.doubt, opened.doubts),
      // Places in what is packed are not places in the file.
      resumable: opened.resumable && layer === 0,
    };
    parts.next++;
    context.part = parts.next;
  }
}

const readerOf = ({ id }: FormatPart): Reader => READERS[id as FormatId];

const startsWith = (head: Uint8Array, text: string): boolean =>
  Array.from(text).every((c, i) => head[i] === c.charCodeAt(0));

/** The format of a file that is text, from its beginning and its name. */
export function formatOfText(text: string, name: string): { part: FormatPart; why: string } {
  for (const part of FORMAT_PARTS.filter(isText).reverse()) {
    const why = readerOf(part).isSo?.(text, name);
    if (why) return { part, why };
  }
  throw new Error("no format takes any text");
}

/** A text whose name promises something else, and a web page, are not taken for a table without a word. Throws `other-kind`. */
function refuseOtherKind(name: string, part: FormatPart, text: string): void {
  if (text.trim() === "") return;
  const named = FORMAT_PARTS.find((f) => f.promised?.ends.test(name));
  const promised = /\.(zip|gz)$/i.test(name) ? "packed" : named?.promised?.is;
  const page = /^\ufeff?\s*(<!--[\s\S]*?-->\s*)?<(!doctype\s+html|html|head|body|table)[\s>]/i.test(text);
  if (!page && (!promised || named?.id === part.id || named?.promised?.or === part.id)) return;
  const is = page ? "a web page" : part.promised ? part.title : "plain text";
  const begins = text.trim().split(/\r?\n/)[0]!.slice(0, 60);
  throw new SieveError("other-kind", `${name} is not ${promised ?? "a table"}: it is ${is}.`, {
    detail: `It begins with “${begins}”.`,
    hint: page
      ? "Open it in the program that it is meant for, save it as a workbook or as delimited text, and send that."
      : "Ask the sender for the right file, or say how it is to be read.",
  });
}

function doubtsOf(encoding: Doubt | null | undefined, others: readonly Doubt[] = []): { doubts?: readonly Doubt[] } {
  const all = [...(encoding ? [encoding] : []), ...others];
  return all.length > 0 ? { doubts: all } : {};
}

/** The beginning of a file within an archive, as text. */
async function beginningOf(zip: SourceFile, entry: string): Promise<string> {
  let text = "";
  for await (const chunk of zipEntry(zip, entry).chunks()) {
    text += new TextDecoder().decode(chunk);
    if (text.length > 200) break;
  }
  return text;
}

const isAuto = (set: string | undefined): boolean => !set || set === "auto";

/** The encoding that an XML text says it has, in ASCII at its very beginning. */
function declaredIn(head: Uint8Array): FoundEncoding | null {
  const declared = /^\s*<\?xml[^>]*\sencoding\s*=\s*["']([\w.-]+)["']/.exec(
    String.fromCharCode(...head.subarray(0, 200)),
  );
  return declared && { encoding: encodingOf(declared[1]!), why: "declared in the file" };
}

/** The encoding as set, or found out; the file is looked through for what tells it only where it has to be found. */
async function findEncoding(source: SourceFile, beginning: Sample, set: string | undefined): Promise<FoundEncoding> {
  const { head, whole } = isAuto(set) ? await tellingSample(source, beginning) : beginning;
  return encodingFor(head, whole, set);
}

/** The settings without those that each file is to be asked for; of another format no other setting holds. */
function foundAnew(settings: ReadSettings): ReadSettings {
  const { of_each: anew, ...rest } = settings;
  if (!anew) return settings;
  if (anew.includes("as")) return { encoding: rest.encoding, unpacked_mb: rest.unpacked_mb };
  const left = Object.entries(rest).filter(
    ([name]) => !anew.includes(name as OfEach) && !(name === "escape" && anew.includes("quote")),
  );
  return Object.fromEntries(left) as ReadSettings;
}

/** Bytes that an encoding is told from. */
interface Sample {
  readonly head: Uint8Array;
  /** They are all of the file. */
  readonly whole: boolean;
}

/** Bytes past the beginning that are looked through for the first that is not ASCII. */
const LOOKED_THROUGH = 8 << 20;

/** Where the first byte is that is not ASCII, or an escape; -1 where there is none. */
function firstTelling(bytes: Uint8Array): number {
  for (let p = 0; p < bytes.length; p++) if (bytes[p]! > 127 || bytes[p] === 0x1b) return p;
  return -1;
}

/** The beginning, or, where that is ASCII alone and tells nothing, as much from the first other byte on. */
async function tellingSample(source: SourceFile, { head, whole }: Sample): Promise<Sample> {
  if (whole || source.once || firstTelling(head) >= 0) return { head, whole };
  const kept: Uint8Array[] = [];
  let have = 0;
  let passed = 0;
  try {
    for await (const chunk of source.chunks()) {
      const at = have > 0 ? 0 : firstTelling(chunk);
      if (at >= 0) {
        // From the line's beginning, as far as it is in the same piece.
        const from = have > 0 ? 0 : chunk.lastIndexOf(10, at) + 1;
        kept.push(chunk.slice(from, from + DETECT_BYTES - have));
        have += kept.at(-1)!.length;
      }
      passed += chunk.length;
      if (have >= DETECT_BYTES || (have === 0 && passed >= LOOKED_THROUGH)) break;
    }
  } catch {
    // What is wrong past the beginning is said by whoever reads on.
  }
  return have > 0 ? { head: concat(kept), whole: false } : { head, whole };
}

/** The file's first bytes, and the file with nothing lost of it. */
async function peek(file: SourceFile): Promise<{ source: SourceFile; head: Uint8Array; whole: boolean }> {
  const pieces = file.chunks()[Symbol.asyncIterator]();
  const taken: Uint8Array[] = [];
  let have = 0;
  let ended = false;
  /** What is wrong past the beginning: it is said by whoever reads on. */
  let fault: { error: unknown } | null = null;
  while (have < DETECT_BYTES && !ended && !fault) {
    try {
      const next = await pieces.next();
      if (next.done) ended = true;
      else {
        taken.push(next.value);
        have += next.value.length;
      }
    } catch (error) {
      if (have === 0) throw error;
      fault = { error };
    }
  }
  const all = concat(taken);
  const head = all.subarray(0, DETECT_BYTES);
  const whole = ended && have <= DETECT_BYTES;
  if (!file.once) {
    await pieces.return?.();
    return { source: file, head: head.slice(), whole };
  }
  let begun = false;
  const chunks = async function* (): AsyncGenerator<Uint8Array> {
    if (begun) throw new Error(`${file.name} can be read only once`);
    begun = true;
    try {
      yield all;
      if (fault) throw fault.error;
      while (!ended) {
        const next = await pieces.next();
        if (next.done) return;
        yield next.value;
      }
    } finally {
      await pieces.return?.();
    }
  };
  return { source: { ...file, chunks }, head: head.slice(), whole };
}

/** Raw bytes as text for a person: UTF-8 where they are that, else byte for byte. */
export function rawText(bytes: Uint8Array): string {
  return new TextDecoder(isUtf8(bytes, 0, bytes.length) ? "utf-8" : "latin1", { ignoreBOM: true }).decode(bytes);
}
