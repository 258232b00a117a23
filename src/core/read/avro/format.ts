import avro from "avsc";
import type { Block } from "../../kernel/block.ts";
import { SieveError, grouped } from "../../kernel/problem.ts";
import type { Value } from "../documents.ts";
import { MOST_EMPTY, walkOf, type Walk } from "./bounds.ts";
import type { Reader, SourceFile } from "../part.ts";
import { ROWS_TOGETHER, type CellValue } from "../builder.ts";
import { LONG } from "./long.ts";
import { DocumentReader, cellOf, opened } from "../json/format.ts";
import { type Show, flatFields, isPlain, shower } from "./show.ts";
import { Bytes, broken, unpackBlock, writeLong } from "./bytes.ts";

const MAGIC = [0x4f, 0x62, 0x6a, 0x01];

/** Avro object container files (Apache Avro specification 1.11), blocks deflated, in Snappy or plain. */
export const reader: Reader = {
  async *open(source, settings, context) {
    const documents = new DocumentReader(context.part, settings);
    yield opened(source, "avro", settings, documents, readAvro(source, documents));
  },
};

async function* readAvro(source: SourceFile, documents: DocumentReader): AsyncGenerator<Block> {
  const bytes = new Bytes(source);
  try {
    const { schema, type, codec, sync } = await readHead(bytes);
    const records = new AvroRecords(schema, type, documents);
    while (await bytes.more(1)) {
      const count = await bytes.long();
      if (count < 0) throw broken(`The number of records after record ${grouped(records.read)} is less than nothing.`);
      const packed = await bytes.take(await bytes.long());
      yield* records.ofBlock(count, await unpackBlock(packed, codec));
      const mark = await bytes.take(16);
      if (sync.some((b, i) => mark[i] !== b)) {
        throw broken(
          `The mark after record ${grouped(records.read)} is not the file's, so what stands there can't be trusted.`,
        );
      }
    }
    const rest = documents.take();
    if (rest) yield rest;
  } catch (error) {
    if (error instanceof SieveError) throw error;
    throw broken((error as Error).message);
  } finally {
    await bytes.end();
  }
}

/** What a container says of itself before its blocks. */
interface Head {
  readonly schema: unknown;
  readonly type: avro.Type;
  readonly codec: string;
  /** What stands behind each block. */
  readonly sync: Uint8Array;
}

/** How types are made of schemas: each with a registry of its own, which names are put into. */
const withLongs = () => ({ registry: { long: LONG }, wrapUnions: false });

async function readHead(bytes: Bytes): Promise<Head> {
  const magic = await bytes.take(4);
  if (MAGIC.some((b, i) => magic[i] !== b)) throw broken("It does not begin as an Avro container does.");
  const meta = new Map<string, Uint8Array>();
  for (let n = await bytes.long(); n !== 0; n = await bytes.long()) {
    if (n < 0) await bytes.long();
    for (let i = Math.abs(n); i > 0; i--) {
      const key = new TextDecoder().decode(await bytes.take(await bytes.long()));
      meta.set(key, (await bytes.take(await bytes.long())).slice());
    }
  }
  const sync = (await bytes.take(16)).slice();
  const word = (key: string): string => new TextDecoder().decode(meta.get(key) ?? new Uint8Array(0));
  try {
    const schema: unknown = JSON.parse(word("avro.schema"));
    const type = avro.Type.forSchema(schema as avro.Schema, withLongs());
    return { schema, type, codec: word("avro.codec") || "null", sync };
  } catch (error) {
    throw broken(`Its schema can't be understood: ${(error as Error).message}.`);
  }
}

/** Makes records of a container's blocks: column by column where they are flat, as documents otherwise. */
class AvroRecords {
  /** How many records there were so far. */
  read = 0;
  private readonly show: Show | null;
  private readonly flat: ReturnType<typeof flatFields>;
  /** Many records as one value. */
  private readonly many: avro.Type;
  private readonly walk: Walk;
  private readonly columns: { values: CellValue[]; loose: boolean }[];

  constructor(
    schema: unknown,
    private readonly type: avro.Type,
    private readonly documents: DocumentReader,
  ) {
    this.show = isPlain(schema) ? null : shower(schema, new Map());
    this.flat = flatFields(schema);
    if (this.flat) documents.setColumns(this.flat.map((f) => f.name));
    this.columns = (this.flat ?? []).map(() => ({ values: [], loose: false }));
    this.many = avro.Type.forSchema({ type: "array", items: type }, withLongs());
    this.walk = walkOf(schema);
  }

  /** All records of a block at once, as if they were an array, which is a count, its items and a nought. */
  *ofBlock(count: number, data: Uint8Array): Generator<Block> {
    const buffer = Buffer.alloc(data.length + 11);
    const head = writeLong(buffer, count);
    buffer.set(data, head);
    const end = head + data.length;
    let records: unknown[] | null = null;
    try {
      if (count > data.length || !this.flat) walkAll(this.walk, buffer, head, end, count);
      records = this.many.fromBuffer(buffer.subarray(0, end + 1)) as unknown[];
    } catch {
      // One of them is broken: those before it are read one by one.
    }
    if (records) yield* this.add(records);
    else yield* this.oneByOne(buffer, head, end, count);
  }

  private *oneByOne(buffer: Buffer, head: number, end: number, count: number): Generator<Block> {
    let at = head;
    for (let i = 0; i < count; i++) {
      const breaksOff = broken(`Record ${grouped(this.read + 1)} breaks off.`);
      if (!endsWithin(this.walk, buffer, at, end) || (at === end && i > MOST_EMPTY)) throw breaksOff;
      const { value, offset } = this.type.decode(buffer, at) as { value: unknown; offset: number };
      if (offset < 0 || offset > end) throw breaksOff;
      yield* this.add([value]);
      at = offset;
    }
    if (at !== end) throw broken(`After record ${grouped(this.read)} there are bytes that belong to none.`);
  }

  private *add(records: readonly unknown[]): Generator<Block> {
    const { flat, columns, show, documents } = this;
    const step = flat ? ROWS_TOGETHER : 1;
    for (let from = 0; from < records.length; from += step) {
      const to = Math.min(records.length, from + step);
      if (flat) {
        flat.forEach(({ name, show }, f) => {
          const { values } = columns[f]!;
          for (let i = from; i < to; i++) {
            const value = (records[i] as Record<string, unknown>)[name];
            values[i - from] = cellOf(show ? show(value) : (value as Value));
          }
        });
        documents.addRows(columns, 0, to - from, this.read + 1);
      } else {
        const value = records[from];
        documents.add(show ? show(value) : (value as Value), this.read + 1, 0, 0, "");
      }
      this.read += to - from;
      if (documents.full) yield documents.take()!;
    }
  }
}

function endsWithin(walk: Walk, bytes: Uint8Array, at: number, end: number): boolean {
  try {
    return walk(bytes, at, end) <= end;
  } catch {
    return false;
  }
}

/** Goes over all records of a block; throws where they don't end with it. */
function walkAll(walk: Walk, bytes: Uint8Array, from: number, end: number, count: number): void {
  let at = from;
  for (let i = 0; i < count; i++) {
    const next = walk(bytes, at, end);
    // Records of nothing at all: as many as anybody may mean.
    if (next === at && i > MOST_EMPTY) throw new RangeError("too many records of nothing");
    at = next;
  }
  if (at !== end) throw new RangeError("bytes are left");
}
