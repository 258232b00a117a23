import { Unzip, UnzipInflate, UnzipPassThrough, type UnzipFile } from "fflate";
import { concat } from "../bytes.ts";
import { SieveError, grouped } from "../problem.ts";
import { keepable } from "./documents.ts";
import type { SourceFile } from "./format.ts";

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

async function* inflate(chunks: AsyncIterable<Uint8Array>, kind: "deflate-raw" | "gzip"): AsyncGenerator<Uint8Array> {
  const stream = new DecompressionStream(kind);
  const writer = stream.writable.getWriter();
  const reader = stream.readable.getReader();
  let failed: unknown = null;
  const writing = (async () => {
    try {
      for await (const chunk of chunks) await writer.write(chunk as Uint8Array<ArrayBuffer>);
      await writer.close();
    } catch (error) {
      failed ??= error;
      await writer.abort(error).catch(() => {});
    }
  })();
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      yield value;
    }
    await writing;
    if (failed) throw failed as Error;
  } finally {
    await reader.cancel().catch(() => {});
  }
}

/** Small pieces joined into ones of about a million bytes, so that blocks are whole ones. What comes before damage is given first. */
async function* joined(chunks: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
  let out = new Uint8Array(1 << 20);
  let have = 0;
  let fault: { error: unknown } | null = null;
  try {
    for await (const chunk of chunks) {
      for (let at = 0; at < chunk.length;) {
        const n = Math.min(out.length - have, chunk.length - at);
        out.set(chunk.subarray(at, at + n), have);
        have += n;
        at += n;
        if (have < out.length) continue;
        yield out;
        out = new Uint8Array(1 << 20);
        have = 0;
      }
    }
  } catch (error) {
    fault = { error };
  }
  if (have > 0) yield out.subarray(0, have);
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
    if (!hasDirectory(end)) throw new Error("its directory, which stands at the end, is missing");
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

function hasDirectory(tail: Uint8Array): boolean {
  for (let p = tail.length - 22; p >= 0; p--) {
    if (tail[p] === 0x50 && tail[p + 1] === 0x4b && tail[p + 2] === 5 && tail[p + 3] === 6) return true;
  }
  return false;
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

async function* readEntry(source: SourceFile, entry: string): AsyncGenerator<Uint8Array> {
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
