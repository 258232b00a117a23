import { deflateSync } from "fflate";
import { concat, utf8 } from "../../kernel/bytes.ts";
import { finishHash, hashSpan, startHash, type Hash } from "../../kernel/hash.ts";
import { microsOf } from "../../formula/value.ts";
import type { Field } from "../../field/field.ts";
import { listValues } from "../../type/list.ts";
import { unitsOf } from "../../type/scaled.ts";
import type { OutputPart } from "./part.ts";

// Written by hand: the library that reads Avro takes files of the system with it, and forms that offer this format run in
// browsers. Its decoder reads what is written here in the tests.

/** Records of a block; as many are in memory at once. */
const BLOCK = 2_000;
const DAY_MICROS = 86_400_000_000;
const MAGIC = Uint8Array.of(0x4f, 0x62, 0x6a, 0x01);

interface Column {
  /** Of a filled value. */
  readonly schema: unknown;
  /** A canonical value as the schema encodes it. */
  encode(canonical: string): Uint8Array;
}

/** A whole number as a zig-zag varint. */
function long(n: number): Uint8Array {
  const bytes: number[] = [];
  let rest = n < 0 ? -2 * n - 1 : 2 * n;
  for (; rest >= 128; rest = Math.floor(rest / 128)) bytes.push((rest % 128) + 128);
  bytes.push(rest);
  return Uint8Array.from(bytes);
}

/** The same with all 64 bits. */
function long64(n: bigint): Uint8Array {
  // Doubled it is to be exact too.
  if (n > -(2n ** 51n) && n < 2n ** 51n) return long(Number(n));
  const bytes: number[] = [];
  let rest = BigInt.asUintN(64, (n << 1n) ^ (n >> 63n));
  for (; rest > 127n; rest >>= 7n) bytes.push(Number(rest & 127n) + 128);
  return Uint8Array.from([...bytes, Number(rest)]);
}

/** A whole number as two's complement, the highest byte first and as few bytes as hold it. */
function twosComplement(n: bigint): Uint8Array {
  let bits = 8;
  while (BigInt.asIntN(bits, n) !== n) bits += 8;
  const bytes = new Uint8Array(bits / 8);
  for (let i = bytes.length - 1, rest = n; i >= 0; i--, rest >>= 8n) bytes[i] = Number(rest & 255n);
  return bytes;
}

/** Bytes with their length before them. */
const sized = (bytes: Uint8Array): Uint8Array => concat([long(bytes.length), bytes]);
const text = (t: string): Uint8Array => sized(utf8(t));

const TEXT: Column = { schema: "string", encode: text };

const decimal = (precision: number, scale: number): Column => ({
  schema: { type: "bytes", logicalType: "decimal", precision, scale },
  encode: (v) => sized(twosComplement(unitsOf(v, scale))),
});

/** How a field's values are kept: what the type has is what the schema has. */
function columnOf(field: Field): Column {
  switch (field.type) {
    case "integer":
      return { schema: "long", encode: (v) => long64(BigInt(v)) };
    case "decimal":
      return decimal(field.precision!, field.scale!);
    case "money":
      return field.currency === undefined ? TEXT : decimal(18, field.scale ?? 4);
    case "boolean":
      return { schema: "boolean", encode: (v) => Uint8Array.of(v === "t" || v === "true" ? 1 : 0) };
    case "date":
      return {
        schema: { type: "int", logicalType: "date" },
        encode: (v) => long(Math.round(microsOf(v) / DAY_MICROS)),
      };
    case "timestamp":
      return {
        schema: { type: "long", logicalType: "timestamp-micros" },
        encode: (v) => long64(BigInt(Math.round(microsOf(v)))),
      };
    case "list":
      return {
        schema: { type: "array", items: "string" },
        encode(v) {
          const values = listValues(v);
          return concat(values.length > 0 ? [long(values.length), ...values.map(text), long(0)] : [long(0)]);
        },
      };
    default:
      return TEXT;
  }
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
export const avro: OutputPart<"avro"> = {
  id: "avro",
  title: "Avro",
  extensions: ["avro"],
  open(fields, name) {
    const columns = fields.map(columnOf);
    const schema = JSON.stringify({
      type: "record",
      name: /^[A-Za-z_]\w*$/.test(name) ? name : "record",
      fields: fields.map((f, i) => ({ name: f.name, type: ["null", columns[i]!.schema], default: null })),
    });
    const mark = markOf(utf8(schema));
    const meta = [long(2), text("avro.schema"), text(schema), text("avro.codec"), text("deflate"), long(0)];
    let waiting: Uint8Array[] = [MAGIC, ...meta, mark];
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
          else cells.push(FILLED, columns[f]!.encode(v));
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
