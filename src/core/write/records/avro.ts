import avro from "avsc";
import { deflateSync } from "fflate";
import { concat } from "../../kernel/bytes.ts";
import { finishHash, hashSpan, startHash, type Hash } from "../../kernel/hash.ts";
import { microsOf } from "../../formula/value.ts";
import type { Field } from "../../plan/types.ts";
import { listValues } from "../../type/list.ts";
import { unitsOf } from "../../type/scaled.ts";
import { LONG } from "./avro-long.ts";
import type { OutputPart } from "./part.ts";

/** Records of a block; as many are in memory at once. */
const BLOCK = 2_000;
const DAY_MICROS = 86_400_000_000;
const MAGIC = Uint8Array.of(0x4f, 0x62, 0x6a, 0x01);

interface Column {
  readonly schema: unknown;
  value(canonical: string): unknown;
}

/** A whole number as two's complement, the highest byte first and as few bytes as hold it. */
function twosComplement(n: bigint): Buffer {
  let hex = (n < 0n ? -n - 1n : n).toString(16);
  if (hex.length % 2 === 1) hex = `0${hex}`;
  const bytes = Buffer.from(hex, "hex");
  const signed = bytes[0]! > 127 ? Buffer.concat([Buffer.of(0), bytes]) : bytes;
  return n < 0n ? Buffer.from(signed.map((b) => ~b & 255)) : signed;
}

const decimal = (precision: number, scale: number): Column => ({
  schema: { type: "bytes", logicalType: "decimal", precision, scale },
  value: (v) => twosComplement(unitsOf(v, scale)),
});

/** How a field's values are kept: what the type has is what the schema has. */
function columnOf(field: Field): Column {
  switch (field.type) {
    case "integer":
      return { schema: "long", value: (v) => BigInt(v) };
    case "decimal":
      return decimal(field.precision!, field.scale!);
    case "money":
      return field.currency === undefined ? TEXT : decimal(18, field.scale ?? 4);
    case "boolean":
      return { schema: "boolean", value: (v) => v === "t" || v === "true" };
    case "date":
      return { schema: { type: "int", logicalType: "date" }, value: (v) => Math.round(microsOf(v) / DAY_MICROS) };
    case "timestamp":
      return {
        schema: { type: "long", logicalType: "timestamp-micros" },
        value: (v) => BigInt(Math.round(microsOf(v))),
      };
    case "list":
      return { schema: { type: "array", items: "string" }, value: (v) => listValues(v) };
    default:
      return TEXT;
  }
}

const TEXT: Column = { schema: "string", value: (v) => v };

/** A number that is not negative as a zig-zag varint. */
function long(n: number): Uint8Array {
  const bytes: number[] = [];
  let rest = n * 2;
  for (; rest >= 128; rest = Math.floor(rest / 128)) bytes.push((rest % 128) + 128);
  return Uint8Array.from([...bytes, rest]);
}

/** Bytes with their length before them. */
const sized = (bytes: Uint8Array): Uint8Array => concat([long(bytes.length), bytes]);

/** A schema as its values are encoded: of a logical type, that beneath it. */
function bareOf(schema: unknown): avro.Schema {
  const { logicalType, type } = schema as { logicalType?: string; type?: string };
  return (logicalType === undefined ? schema : type) as avro.Schema;
}

/** The branches of a union with null. */
const EMPTY = long(0);
const FILLED = long(1);

/** What stands behind each block: sixteen bytes that are hard to meet by chance. */
function markOf(schema: Uint8Array): Uint8Array {
  const hash: Hash = { a: 0, b: 0 };
  const words = [0, 1, 2, 3].map((salt) => {
    startHash(hash);
    hashSpan(concat([schema, Uint8Array.of(salt)]), 0, schema.length + 1, hash);
    finishHash(hash);
    return hash.a ^ hash.b;
  });
  return new Uint8Array(Int32Array.from(words).buffer);
}

/** An object container (Apache Avro specification 1.11): fields typed as the contract has them, blocks deflated. */
export const avroOut: OutputPart<"avro"> = {
  id: "avro",
  title: "Avro",
  extensions: ["avro"],
  open(fields, name) {
    const columns = fields.map(columnOf);
    const schema = {
      type: "record",
      name: /^[A-Za-z_]\w*$/.test(name) ? name : "record",
      fields: fields.map((f, i) => ({ name: f.name, type: ["null", columns[i]!.schema], default: null })),
    };
    const text = JSON.stringify(schema);
    const types = columns.map((c) => avro.Type.forSchema(bareOf(c.schema), { registry: { long: LONG } }));
    const encoder = new TextEncoder();
    const mark = markOf(encoder.encode(text));
    const meta = (key: string, value: string): Uint8Array =>
      concat([sized(encoder.encode(key)), sized(encoder.encode(value))]);
    let waiting: Uint8Array[] = [
      MAGIC,
      ...[long(2), meta("avro.schema", text), meta("avro.codec", "deflate"), long(0)],
      mark,
    ];
    /** The cells of the block at hand, one after the other, each with the branch of its union before it. */
    let cells: Uint8Array[] = [];
    let records = 0;
    const flush = (): void => {
      if (records === 0) return;
      waiting.push(long(records), sized(deflateSync(concat(cells))), mark);
      cells = [];
      records = 0;
    };
    return {
      add(values) {
        values.forEach((v, f) => {
          if (v === "") cells.push(EMPTY);
          else cells.push(FILLED, types[f]!.toBuffer(columns[f]!.value(v)));
        });
        if (++records === BLOCK) flush();
      },
      take() {
        const bytes = concat(waiting);
        waiting = [];
        return bytes;
      },
      end: flush,
    };
  },
};
