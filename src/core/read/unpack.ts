import { Unzip, UnzipInflate, UnzipPassThrough, type UnzipFile } from "fflate";
import { concat } from "../kernel/bytes.ts";
import { SieveError, grouped } from "../kernel/problem.ts";
import { keepable } from "./documents.ts";
import type { SourceFile } from "./part.ts";

/** A packed file may become this many times its size, or this many bytes, whichever is more. */
const MOST_RATIO = 250;
const ALWAYS_ALLOWED = 16_000_000;
/** Files in one archive. */
const MOST_FILES = 10_000;

/** How many bytes a packed file of so many may become; `said`: megabytes that a person has allowed. */
function mostFor(bytes: number, said?: number): number {
  return said === undefined ? Math.max(ALWAYS_ALLOWED, bytes * MOST_RATIO) : said * 1e6;
}

function tooFar(name: string, bytes: number, said?: number): SieveError {
  return new SieveError("unpacks-too-far", `${name} unpacks to more than ${grouped(mostFor(bytes, said))} bytes.`, {
    detail: `It has ${grouped(bytes)} bytes; files of records are seldom packed more than ${MOST_RATIO} times over.`,
    hint: "Ask the sender what it is. If it is meant, say in the plan’s read section how many megabytes it may unpack to (unpacked_mb).",
  });
}

function damaged(name: string, kind: string, detail: string): SieveError {
  return new SieveError("archive-broken", `The ${kind} ${name} is damaged or not whole.`, {
    detail,
    hint: "Ask the sender for it again; nothing of it was loaded.",
  });
}

/** What a packed span of bytes holds. Throws when it is damaged. */
export async function inflated(bytes: Uint8Array, kind: "deflate-raw" | "gzip"): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  let length = 0;
  const one = async function* (): AsyncGenerator<Uint8Array> {
    yield bytes;
  };
  for await (const part of inflate(one(), kind)) {
    parts.push(part);
    length += part.length;
    if (length > mostFor(bytes.length)) throw new Error("it unpacks too far");
  }
  return concat(parts);
}

/** Packed bytes that are given to the inflater at a time: what comes of them is still heard when nobody reads on. */
const PACKED_PIECE = 1 << 16;

async function* inflate(chunks: AsyncIterable<Uint8Array>, kind: "deflate-raw" | "gzip"): AsyncGenerator<Uint8Array> {
  const stream = new DecompressionStream(kind);
  const writer = stream.writable.getWriter();
  const reader = stream.readable.getReader();
  let failed: unknown = null;
  let stopped = false;
  const writing = (async () => {
    try {
      for await (const chunk of chunks) {
        for (let at = 0; at < chunk.length && !stopped; at += PACKED_PIECE)
          await writer.write(chunk.subarray(at, at + PACKED_PIECE) as Uint8Array<ArrayBuffer>);
        if (stopped) break;
      }
      await writer.close();
    } catch (error) {
      failed ??= error;
      await writer.abort(error).catch(() => {});
    }
  })();
  let open = true;
  const next = async (): Promise<Uint8Array | null> => {
    try {
      const { done, value } = await reader.read();
      if (!done) return value;
    } catch (error) {
      failed ??= error;
    }
    open = false;
    return null;
  };
  try {
    for (let part = await next(); part !== null; part = await next()) yield part;
    await writing;
    if (failed) throw failed as Error;
  } finally {
    // A stream that is cancelled while its inflater works gives to nobody then, which would end the whole process.
    stopped = true;
    while (open) await next();
    await writing;
  }
}

/** What small pieces are joined to, so that blocks are whole ones. */
const JOINED_BYTES = 1 << 20;

/** Small pieces joined into ones of about a million bytes. What comes before damage is given first. */
async function* joined(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  let pieces: Uint8Array[] = [];
  let have = 0;
  let fault: { error: unknown } | null = null;
  try {
    for await (const piece of chunks) {
      pieces.push(piece);
      have += piece.length;
      if (have < JOINED_BYTES) continue;
      yield concat(pieces);
      pieces = [];
      have = 0;
    }
  } catch (error) {
    fault = { error };
  }
  if (have > 0) yield concat(pieces);
  if (fault) throw fault.error;
}

/** The file inside a gzip file. */
export function gunzipped(source: SourceFile): SourceFile {
  const said = source.mayUnpackTo;
  return {
    name: source.name.replace(/\.gz$/i, "") || source.name,
    bytes: 0,
    chunks: () => joined(parts()),
    mayUnpackTo: said,
  };
  async function* parts(): AsyncGenerator<Uint8Array> {
    let length = 0;
    try {
      for await (const part of inflate(source.chunks(), "gzip")) {
        length += part.length;
        if (length > mostFor(source.bytes, said)) throw tooFar(source.name, source.bytes, said);
        yield part;
      }
    } catch (error) {
      if (error instanceof SieveError) throw error;
      throw damaged(
        source.name,
        "gzip file",
        `After ${grouped(length)} unpacked bytes it breaks off or is not gzip any more.`,
      );
    }
  }
}

/** Names of the files in a zip archive, in its order; folders and system files left out. */
export async function zipNames(source: SourceFile): Promise<string[]> {
  const names: string[] = [];
  let end = new Uint8Array(0);
  let fault: unknown = null;
  const unzip = new Unzip((file) => {
    if (!isOurs(file.name)) return;
    names.push(file.name);
    if (names.length > MOST_FILES) fault = new Error(`it has more than ${MOST_FILES} files`);
  });
  unzip.register(UnzipInflate);
  unzip.register(UnzipPassThrough);
  try {
    for await (const chunk of source.chunks()) {
      unzip.push(chunk);
      if (fault) throw fault as Error;
      end = tailOf(end, chunk);
    }
    unzip.push(new Uint8Array(0), true);
    if (directoryEnd(end) < 0) throw new Error("its directory, which stands at the end, is missing");
  } catch (error) {
    throw damaged(source.name, "zip file", `${(error as Error).message}.`);
  }
  if (names.length === 0) throw damaged(source.name, "zip file", "It has no files.");
  return names;
}

/** The directory's last record is within this many bytes of the end (APPNOTE.TXT 6.3, 4.3.16). */
const DIRECTORY_END = 65_557;

function tailOf(before: Uint8Array, chunk: Uint8Array): Uint8Array<ArrayBuffer> {
  if (chunk.length >= DIRECTORY_END) return chunk.slice(-DIRECTORY_END);
  return concat([before, chunk]).slice(-DIRECTORY_END);
}

/** Where the directory's last record begins in an archive's end; -1 where there is none. */
function directoryEnd(tail: Uint8Array): number {
  for (let p = tail.length - 22; p >= 0; p--) {
    if (tail[p] === 0x50 && tail[p + 1] === 0x4b && tail[p + 2] === 5 && tail[p + 3] === 6) return p;
  }
  return -1;
}

function isOurs(name: string): boolean {
  return !name.endsWith("/") && !name.startsWith("__MACOSX/") && !/(^|\/)(\.DS_Store|Thumbs\.db)$/.test(name);
}

/** A file of a zip archive, unpacked as it is read. */
export function zipEntry(source: SourceFile, entry: string): SourceFile {
  return {
    name: `${source.name}/${keepable(entry)}`,
    bytes: 0,
    chunks: () => joined(readEntry(source, entry)),
    mayUnpackTo: source.mayUnpackTo,
  };
}

/** What the archive's directory says of a file in it (APPNOTE.TXT 6.3, 4.3.12). */
interface Listed {
  /** 0: as it is, 8: deflated. */
  readonly method: number;
  readonly packed: number;
  readonly size: number;
  /** Where its own header begins. */
  readonly at: number;
}

/** More bytes than a directory of `MOST_FILES` files has. */
const MOST_DIRECTORY = 16 << 20;
const directories = new WeakMap<SourceFile, Promise<ReadonlyMap<string, Listed>>>();

/**
 * The files of an archive that can be read from anywhere, by its directory: those that are packed in
 * the two usual ways and are not encrypted. Anything odd is left out, and is looked for from the beginning.
 */
async function directoryOf(source: SourceFile): Promise<ReadonlyMap<string, Listed>> {
  const files = new Map<string, Listed>();
  const { range, bytes } = source;
  if (!range) return files;
  const tail = await range.call(source, Math.max(0, bytes - DIRECTORY_END), bytes);
  const end = directoryEnd(tail);
  if (end < 0) return files;
  const last = new DataView(tail.buffer, tail.byteOffset + end, 22);
  const [length, from] = [last.getUint32(12, true), last.getUint32(16, true)];
  if (length > MOST_DIRECTORY || from + length > bytes) return files;
  const all = await range.call(source, from, from + length);
  const view = new DataView(all.buffer, all.byteOffset, all.length);
  for (let p = 0; p + 46 <= all.length && view.getUint32(p, true) === 0x02014b50;) {
    const flags = view.getUint16(p + 8, true);
    const [name, extra, comment] = [28, 30, 32].map((at) => view.getUint16(p + at, true)) as [number, number, number];
    const listed = {
      method: view.getUint16(p + 10, true),
      packed: view.getUint32(p + 20, true),
      size: view.getUint32(p + 24, true),
      at: view.getUint32(p + 42, true),
    };
    const text = new TextDecoder(flags & 0x800 ? "utf-8" : "latin1").decode(all.subarray(p + 46, p + 46 + name));
    const usual =
      (listed.method === 0 || listed.method === 8) && (flags & 1) === 0 && listed.at + listed.packed <= bytes;
    // Of a name that is given twice the first is meant, as it is from the beginning.
    if (usual && !files.has(text)) files.set(text, listed);
    p += 46 + name + extra + comment;
  }
  return files;
}

/** The packed bytes of a file of an archive, by where the directory says that it is; null where it is not there. */
async function packedAt(source: SourceFile, { at, packed }: Listed): Promise<AsyncGenerator<Uint8Array> | null> {
  const range = source.range!.bind(source);
  const head = await range(at, at + 30);
  const view = new DataView(head.buffer, head.byteOffset, head.length);
  if (head.length < 30 || view.getUint32(0, true) !== 0x04034b50) return null;
  const from = at + 30 + view.getUint16(26, true) + view.getUint16(28, true);
  return (async function* () {
    for (let p = from; p < from + packed; p += 1 << 18) yield await range(p, Math.min(from + packed, p + (1 << 18)));
  })();
}

async function* readEntry(source: SourceFile, entry: string): AsyncGenerator<Uint8Array> {
  if (!directories.has(source)) directories.set(source, directoryOf(source));
  const listed = (await directories.get(source)!).get(entry);
  const packed = listed ? await packedAt(source, listed) : null;
  if (!listed || !packed) {
    yield* searchEntry(source, entry);
    return;
  }
  const said = source.mayUnpackTo;
  let length = 0;
  try {
    for await (const part of listed.method === 8 ? inflate(packed, "deflate-raw") : packed) {
      length += part.length;
      if (length > mostFor(source.bytes, said)) throw tooFar(source.name, source.bytes, said);
      yield part;
    }
  } catch (error) {
    if (error instanceof SieveError) throw error;
    throw damaged(source.name, "zip file", `${entry} breaks off after ${grouped(length)} bytes.`);
  }
  if (length !== listed.size) {
    throw damaged(
      source.name,
      "zip file",
      `${entry} has ${grouped(length)} bytes where ${grouped(listed.size)} are promised.`,
    );
  }
}

/** A file of an archive, looked for from the archive's beginning. */
async function* searchEntry(source: SourceFile, entry: string): AsyncGenerator<Uint8Array> {
  const said = source.mayUnpackTo;
  let parts: Uint8Array[] = [];
  let length = 0;
  let ended = false;
  let fault: Error | null = null;
  let expected: number | undefined;
  const begin = (file: UnzipFile): void => {
    if (file.name !== entry) return;
    expected = file.originalSize;
    file.ondata = (error, data, final) => {
      if (error) fault = error;
      else {
        // The inflater reuses what it gives.
        parts.push(data.slice());
        length += data.length;
      }
      if (final) ended = true;
    };
    file.start();
  };
  const unzip = new Unzip(begin);
  unzip.register(UnzipInflate);
  unzip.register(UnzipPassThrough);
  const check = (): void => {
    if (length > mostFor(source.bytes, said)) throw tooFar(source.name, source.bytes, said);
    if (fault) throw damaged(source.name, "zip file", `${entry}: ${fault.message}.`);
  };
  for await (const whole of source.chunks()) {
    // Small pieces, so that a bomb is noticed before it has gone off.
    for (let at = 0; at < whole.length && !ended; at += 1 << 16) {
      try {
        unzip.push(whole.subarray(at, at + (1 << 16)));
      } catch (error) {
        fault ??= error as Error;
      }
      check();
      yield* parts;
      parts = [];
    }
    if (ended) break;
  }
  if (!ended) throw damaged(source.name, "zip file", `${entry} breaks off after ${grouped(length)} bytes.`);
  if (expected !== undefined && expected > 0 && expected !== length) {
    throw damaged(
      source.name,
      "zip file",
      `${entry} has ${grouped(length)} bytes where ${grouped(expected)} are promised.`,
    );
  }
}
