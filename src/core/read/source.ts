import { concat, isUtf8 } from "../kernel/bytes.ts";
import { SieveError } from "../kernel/problem.ts";
import { avroFormat } from "./avro/format.ts";
import { blocks } from "./blocks/format.ts";
import { delimited } from "./delimited/format.ts";
import { DETECT_BYTES, detectTextFormat } from "./detect.ts";
import { decodeText } from "./encoding/decode.ts";
import { encodingFor, type FoundEncoding } from "./encoding/detect.ts";
import { fixed } from "./fixed/format.ts";
import {
  type Doubt,
  type FormatId,
  type FormatPart,
  type OfEach,
  type Opened,
  type ReadSettings,
  type SourceFile,
  type Spool,
} from "./part.ts";
import { json, jsonLines } from "./json/format.ts";
import { FORMAT_SETTINGS } from "./settings.ts";
import { encodingOf } from "./encoding/names.ts";
import { ods } from "./ods/format.ts";
import { parquet } from "./parquet/format.ts";
import { gunzipped, zipEntry, zipNames } from "./unpack.ts";
import { xlsx } from "./xlsx/format.ts";
import { xml } from "./xml/format.ts";

export type { Opened, ReadOptions, ReadSettings, SourceFile, Spool } from "./part.ts";

const FORMATS: Record<FormatId, FormatPart> = {
  delimited,
  fixed,
  blocks,
  json,
  "json-lines": jsonLines,
  xml,
  xlsx,
  ods,
  parquet,
  avro: avroFormat,
};

/** Archives inside archives that are opened. */
const MOST_LAYERS = 3;

/** Counts parts across the files of a delivery. */
export interface PartCounter {
  next: number;
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
  /** How the file's text is encoded; asked for by whoever tells the format, and for the format. */
  const encodingFound = (): Promise<FoundEncoding> =>
    (found ??= findEncoding(source, { head, whole }, settings.encoding));
  const magic = String.fromCharCode(...head.subarray(0, 4));
  const layered = head[0] === 0x1f && head[1] === 0x8b ? "gzip" : magic === "PK\u0003\u0004" ? "zip" : null;
  if (layered && layer >= MOST_LAYERS) {
    throw new SieveError("too-many-layers", `${file.name} is packed more than ${MOST_LAYERS} times over.`, {
      hint: "Ask the sender for the files themselves.",
    });
  }
  if (layered === "gzip") {
    yield* openFile(
      { ...gunzipped(source), ...(source.once ? { once: true } : {}) },
      settings,
      spool,
      parts,
      layer + 1,
    );
    return;
  }
  const open = async function* (as: FormatId, from: SourceFile, why: string): AsyncGenerator<Opened> {
    const isText = "encoding" in FORMAT_SETTINGS[as].settings;
    const declared = as === "xml" && isAuto(settings.encoding) ? declaredIn(head) : null;
    const encoding: FoundEncoding = isText ? (declared ?? (await encodingFound())) : { encoding: "utf-8", why: "" };
    const context = { part: parts.next, spool, encoding: encoding.encoding, head, whole };
    for await (const opened of FORMATS[as].open(from, settings, context)) {
      const format = settings.as && settings.as !== "auto" ? "as set" : why;
      yield {
        ...opened,
        evidence: { format, ...(isText ? { encoding: encoding.why } : {}), ...opened.evidence },
        ...doubtsOf(encoding.doubt, opened.doubts),
        // Places in what is packed are not places in the file.
        resumable: opened.resumable && layer === 0,
      };
      parts.next++;
      context.part = parts.next;
    }
  };
  const set = settings.as && settings.as !== "auto" ? settings.as : null;
  if (layered === "zip") {
    const kept = source.once
      ? { ...(await spool(source.name, source.chunks())), mayUnpackTo: source.mayUnpackTo }
      : source;
    const names = await zipNames(kept);
    if (names.some((n) => n.toLowerCase() === "xl/workbook.xml")) {
      yield* open("xlsx", kept, "a zip archive with a workbook in it");
      return;
    }
    if (await isSpreadsheet(kept, names)) {
      yield* open("ods", kept, "a zip archive that says it is an OpenDocument spreadsheet");
      return;
    }
    for (const name of names) yield* openFile(zipEntry(kept, name), settings, spool, parts, layer + 1);
    return;
  }
  if (magic === "PAR1" || set === "parquet") yield* open("parquet", source, "it begins with PAR1");
  else if (magic === "Obj\u0001" || set === "avro") yield* open("avro", source, "it begins as an Avro container does");
  else if (set === "xlsx" || set === "ods") {
    const [is, such] =
      set === "xlsx" ? ["a workbook", "A workbook"] : ["an OpenDocument spreadsheet", "Such a spreadsheet"];
    throw new SieveError(`${set}-broken`, `${file.name} is not ${is}.`, {
      detail: `${such} is a zip archive, and this file does not begin as one.`,
      hint: "Check that it is the right file, or change the plan's read section.",
    });
  } else if (head[0] === 0xd0 && head[1] === 0xcf && head[2] === 0x11 && head[3] === 0xe0) {
    throw new SieveError("old-workbook", `${file.name} is a workbook in the binary form of before 2007.`, {
      hint: "Open it and save it as .xlsx.",
    });
  } else if (set) yield* open(set, source, "as set");
  else {
    const { encoding } = await encodingFound();
    const text = decodeText(head, encoding);
    const { as, why } = detectTextFormat(text, file.name);
    refuseOtherKind(file.name, as, text);
    yield* open(as, source, why);
  }
}

/** What files are by the ends of their names, where the name is a promise. */
const PROMISED: readonly (readonly [ends: RegExp, is: string, formats: readonly FormatId[]])[] = [
  [/\.(xlsx|xlsm|xls)$/i, "a workbook", ["xlsx"]],
  [/\.ods$/i, "an OpenDocument spreadsheet", ["ods"]],
  [/\.parquet$/i, "a Parquet file", ["parquet"]],
  [/\.avro$/i, "an Avro file", ["avro"]],
  [/\.(zip|gz)$/i, "packed", []],
  [/\.json$/i, "JSON of records", ["json", "json-lines"]],
  [/\.(jsonl|ndjson)$/i, "lines of JSON", ["json-lines", "json"]],
  [/\.xml$/i, "XML", ["xml"]],
];

/** A text whose name promises something else, and a web page, are not taken for a table without a word. Throws `other-kind`. */
function refuseOtherKind(name: string, as: FormatId, text: string): void {
  if (text.trim() === "") return;
  const promised = PROMISED.find(([ends]) => ends.test(name));
  const page = /^\ufeff?\s*(<!--[\s\S]*?-->\s*)?<(!doctype\s+html|html|head|body|table)[\s>]/i.test(text);
  if (!page && (!promised || promised[2].includes(as))) return;
  const plain = as === "delimited" || as === "fixed" || as === "blocks";
  const is = page ? "a web page" : plain ? "plain text" : FORMAT_SETTINGS[as].title;
  const begins = text.trim().split(/\r?\n/)[0]!.slice(0, 60);
  throw new SieveError("other-kind", `${name} is not ${promised ? promised[1] : "a table"}: it is ${is}.`, {
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

/** What an OpenDocument says that it is, in a file of its own. */
async function isSpreadsheet(
  zip: SourceFile & Required<Pick<SourceFile, "chunks">>,
  names: readonly string[],
): Promise<boolean> {
  if (!names.includes("mimetype") || !names.includes("content.xml")) return false;
  let type = "";
  for await (const chunk of zipEntry(zip, "mimetype").chunks()) {
    type += new TextDecoder().decode(chunk);
    if (type.length > 200) break;
  }
  return type.trim().startsWith("application/vnd.oasis.opendocument.spreadsheet");
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
