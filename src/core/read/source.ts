import { isUtf8 } from "../bytes.ts";
import type { UnreadableReason } from "../block.ts";
import type { Block } from "../block.ts";
import { SieveError, counted } from "../problem.ts";
import type { ReadSection } from "../plan/schema.ts";
import type { Course, Sifted } from "../sift.ts";
import { DelimitedReader } from "./delimited.ts";
import { DETECT_BYTES, detectDelimited, type Detected, type ReadSettings } from "./detect.ts";

/** A file as a stream of bytes, from wherever it is kept. */
export interface SourceFile {
  readonly name: string;
  readonly bytes: number;
  /** The file's bytes from the beginning, in pieces of any size. */
  chunks(): AsyncIterable<Uint8Array>;
}

/** What reading one file has shown. */
export interface FileFacts {
  readonly name: string;
  readonly bytes: number;
  readonly columns: readonly string[];
  readonly read: Detected["options"];
  readonly evidence: Detected["evidence"];
  records: number;
  readonly unreadable: Partial<Record<UnreadableReason, number>>;
  /** Columns that no field takes, and fields that no column gives. */
  readonly extra: readonly string[];
  readonly missing: readonly string[];
}

export function settingsOf(read: ReadSection): ReadSettings {
  return {
    delimiter: read.delimiter,
    quote: read.quote,
    escape: read.escape,
    header: read.header,
    skip: read.skip,
    encoding: read.encoding,
  };
}

/**
 * Reads one file, every guess decided from its beginning. Yields its blocks, each to be used before
 * the next is asked for. `opened` is called once, before the first block, when the columns are known;
 * for an empty file they are none.
 */
export async function* readFile(
  file: SourceFile,
  index: number,
  settings: ReadSettings,
  opened: (reader: DelimitedReader, detected: Detected) => void,
): AsyncGenerator<Block> {
  const pieces = file.chunks()[Symbol.asyncIterator]();
  try {
    const head: Uint8Array[] = [];
    let have = 0;
    let ended = false;
    while (have < DETECT_BYTES && !ended) {
      const next = await pieces.next();
      if (next.done) ended = true;
      else {
        head.push(next.value);
        have += next.value.length;
      }
    }
    const first = concat(head, have);
    const detected = detectDelimited(first.subarray(0, DETECT_BYTES), ended && have <= DETECT_BYTES, settings);
    const reader = new DelimitedReader(detected.options, index);
    let open = false;
    const openOnce = (): void => {
      if (open || !reader.columns) return;
      open = true;
      opened(reader, detected);
    };
    for (const block of reader.push(first, false)) {
      openOnce();
      yield block;
    }
    while (!ended) {
      const next = await pieces.next();
      if (next.done) break;
      for (const block of reader.push(next.value, false)) {
        openOnce();
        yield block;
      }
    }
    for (const block of reader.push(new Uint8Array(0), true)) {
      openOnce();
      yield block;
    }
    reader.columns ??= [];
    openOnce();
  } finally {
    await pieces.return?.();
  }
}

/** Takes one file through the course; gives its blocks as sifted, and its facts when all is read. */
export async function* siftFile(
  course: Course,
  file: SourceFile,
  index: number,
  read: ReadSection,
): AsyncGenerator<Sifted, FileFacts> {
  let facts: FileFacts | null = null;
  const blocks = readFile(file, index, settingsOf(read), (reader, detected) => {
    const columns = reader.columns ?? [];
    const mapping = course.openFile(columns);
    if (columns.length > 0 && mapping.missing.length === course.compiled.fields.length) {
      throw new SieveError("no-column-fits", `No column of ${file.name} is a field of the plan.`, {
        detail: `Its ${counted(columns.length, "column")}: ${listed(columns)}. The plan's fields: ${listed(mapping.missing)}.`,
        hint: "Check that the file belongs to this feed, its delimiter and its header line; or give the fields the names of these columns under “also”.",
      });
    }
    facts = {
      name: file.name,
      bytes: file.bytes,
      columns,
      read: detected.options,
      evidence: detected.evidence,
      records: 0,
      unreadable: {},
      extra: mapping.extra,
      missing: columns.length > 0 ? mapping.missing : [],
    };
  });
  try {
    for await (const block of blocks) {
      facts!.records += block.count;
      for (const { reason } of block.unreadable.values()) {
        facts!.unreadable[reason] = (facts!.unreadable[reason] ?? 0) + 1;
      }
      yield course.run(block);
    }
  } catch (error) {
    if (!(error instanceof SieveError) || error.message.includes(file.name)) throw error;
    throw new SieveError(error.code, `${file.name}: ${error.message}`, { detail: error.detail, hint: error.hint });
  }
  return facts!;
}

/** Names in a list for a message; a long list is cut and says so. */
export function listed(names: readonly string[], most = 12): string {
  const shown = names.slice(0, most).map((n) => (n.length > 40 ? `${n.slice(0, 39)}…` : n));
  return names.length > most ? `${shown.join(", ")} and ${names.length - most} more` : shown.join(", ");
}

function concat(parts: readonly Uint8Array[], length: number): Uint8Array {
  if (parts.length === 1) return parts[0]!;
  const all = new Uint8Array(length);
  let at = 0;
  for (const part of parts) {
    all.set(part, at);
    at += part.length;
  }
  return all;
}

/** Raw bytes as text for a person: UTF-8 where they are that, else byte for byte. */
export function rawText(bytes: Uint8Array): string {
  return new TextDecoder(isUtf8(bytes, 0, bytes.length) ? "utf-8" : "latin1", { ignoreBOM: true }).decode(bytes);
}
