import avro from "avsc";
import { openFile, rawText, type SourceFile } from "@/core/read/source.ts";
import type { ReadSettings } from "@/core/read/settings.ts";
import type { Block } from "@/core/kernel/block.ts";
import { arrivedCells, rawBytes } from "@/core/course/of-record.ts";
import type { Doubt, RangedFile } from "@/core/read/part.ts";

/** Bytes in memory as a file. */
export function memoryFile(name: string, content: string | Uint8Array, step = 1 << 16): RangedFile {
  const bytes = typeof content === "string" ? new TextEncoder().encode(content) : content;
  return {
    name,
    bytes: bytes.length,
    async *chunks() {
      for (let at = 0; at < bytes.length; at += step) yield bytes.slice(at, at + step);
    },
    range: async (start, end) => bytes.slice(start, end),
  };
}

/** Keeps what is spooled in memory. */
export async function memorySpool(name: string, chunks: AsyncIterable<Uint8Array>): Promise<RangedFile> {
  const pieces: Uint8Array[] = [];
  for await (const piece of chunks) pieces.push(piece);
  return memoryFile(name, Buffer.concat(pieces));
}

export interface ReadPart {
  name: string;
  as: string;
  options: object;
  columns: readonly string[];
  evidence: Readonly<Record<string, string>>;
  doubts: readonly Doubt[];
  records: Record<string, string>[];
  unreadable: { reason: string; line: number; raw: string }[];
  lines: number[];
}

/** Everything that the file's parts hold, empty cells left out; `error` is what stopped the reading. */
export async function readParts(
  source: SourceFile,
  settings: ReadSettings = {},
  see: (block: Block) => Block = (b) => b,
): Promise<{ parts: ReadPart[]; error: Error | null }> {
  const parts: ReadPart[] = [];
  try {
    for await (const opened of openFile(source, settings, memorySpool)) {
      const part: ReadPart = {
        name: opened.name,
        as: opened.options.as,
        options: opened.options,
        columns: [],
        evidence: opened.evidence,
        doubts: opened.doubts ?? [],
        records: [],
        unreadable: [],
        lines: [],
      };
      parts.push(part);
      part.columns = opened.columns();
      for await (const given of opened.blocks) {
        const block = see(given);
        part.columns = opened.columns();
        for (let r = 0; r < block.count; r++) {
          const bad = block.unreadable.get(r);
          part.lines.push(block.origin.line[r]!);
          if (bad) {
            part.unreadable.push({ reason: bad.reason, line: block.origin.line[r]!, raw: rawText(rawBytes(block, r)) });
            continue;
          }
          const cells = arrivedCells(block, r).map((v, c) => [part.columns[c]!, v] as const);
          part.records.push(Object.fromEntries(cells.filter(([, v]) => v !== "")));
        }
      }
    }
    return { parts, error: null };
  } catch (error) {
    return { parts, error: error as Error };
  }
}

/** The first part of a file, read whole; throws what stopped the reading. */
export async function read(name: string, content: string | Uint8Array, settings: ReadSettings = {}): Promise<ReadPart> {
  const { parts, error } = await readParts(memoryFile(name, content), settings);
  if (error) throw error;
  return parts[0]!;
}

/** Records as an Avro container file. */
export async function avroBytes(schema: object, records: readonly unknown[], codec: string): Promise<Uint8Array> {
  const parts: Buffer[] = [];
  const encoder = new avro.streams.BlockEncoder(schema as never, { codec, syncMarker: Buffer.alloc(16, 7) } as never);
  encoder.on("data", (b: Buffer) => parts.push(b));
  const done = new Promise((resolve) => encoder.on("end", resolve));
  for (const record of records) encoder.write(record);
  encoder.end();
  await done;
  return new Uint8Array(Buffer.concat(parts));
}
