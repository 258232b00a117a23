import type { SchemaElement } from "hyparquet";
import { ByteWriter, ParquetWriter } from "hyparquet-writer";
import type { Field } from "../../field/field.ts";
import { microsOf } from "../../formula/value.ts";
import { listValues } from "../../type/list.ts";
import { unitsOf } from "../../type/scaled.ts";
import type { OutputPart } from "./part.ts";

/** Records of a row group; as many are in memory at once. */
const GROUP = 20_000;
const DAY_MICROS = 86_400_000_000;
/** Digits that 64 bits hold whatever they are. */
const DIGITS_64 = 18;

function decimalColumn(name: string, precision: number, scale: number): Column {
  const bytes = Math.ceil((precision * Math.log2(10) + 1) / 8);
  const type =
    precision <= DIGITS_64
      ? ({ type: "INT64" } as const)
      : ({ type: "FIXED_LEN_BYTE_ARRAY", type_length: bytes } as const);
  return {
    schema: [{ name, ...type, repetition_type: "OPTIONAL", converted_type: "DECIMAL", precision, scale }],
    value: (v) => unitsOf(v, scale),
  };
}

interface Column {
  /** Its element, and those below it. */
  readonly schema: SchemaElement[];
  value(canonical: string): unknown;
}

/** Days come again and again; more than so many different ones are not remembered. */
const MOST_REMEMBERED = 50_000;

function remembered<T>(value: (canonical: string) => T): (canonical: string) => T {
  const known = new Map<string, T>();
  return (canonical) => {
    let found = known.get(canonical);
    if (found === undefined) {
      found = value(canonical);
      if (known.size < MOST_REMEMBERED) known.set(canonical, found);
    }
    return found;
  };
}

/** How a field's values are kept: what the type has is what the column has. */
function columnOf(field: Field): Column {
  const { name } = field;
  const optional = (element: Omit<SchemaElement, "name" | "repetition_type">): SchemaElement[] => [
    { name, repetition_type: "OPTIONAL", ...element },
  ];
  switch (field.type) {
    case "integer":
      return { schema: optional({ type: "INT64" }), value: (v) => BigInt(v) };
    case "decimal":
      return decimalColumn(name, field.precision!, field.scale!);
    case "money":
      if (field.currency !== undefined) return decimalColumn(name, DIGITS_64, field.scale ?? 4);
      break;
    case "boolean":
      return { schema: optional({ type: "BOOLEAN" }), value: (v) => v === "t" || v === "true" };
    case "date":
      return {
        schema: optional({ type: "INT32", converted_type: "DATE", logical_type: { type: "DATE" } }),
        value: remembered((v) => Math.round(microsOf(v) / DAY_MICROS)),
      };
    case "timestamp":
      return {
        schema: optional({
          type: "INT64",
          converted_type: "TIMESTAMP_MICROS",
          logical_type: { type: "TIMESTAMP", isAdjustedToUTC: true, unit: "MICROS" },
        }),
        value: (v) => BigInt(Math.round(microsOf(v))),
      };
    case "list":
      return {
        schema: [
          { name, repetition_type: "OPTIONAL", converted_type: "LIST", num_children: 1 },
          { name: "list", repetition_type: "REPEATED", num_children: 1 },
          { name: "element", repetition_type: "OPTIONAL", type: "BYTE_ARRAY", converted_type: "UTF8" },
        ],
        value: (v) => listValues(v),
      };
    default:
  }
  return {
    schema: optional({ type: "BYTE_ARRAY", converted_type: "UTF8", logical_type: { type: "STRING" } }),
    value: (v) => v,
  };
}

/** Keeps what is written until it is taken; places in the file go on from there. */
class TakenWriter extends ByteWriter {
  declare index: number;
  take(): Uint8Array {
    const bytes = this.getBytes().slice();
    this.index = 0;
    return bytes;
  }
}

/** Columns typed as the contract has them, compressed by Snappy, a row group every 20,000 records. */
export const parquet: OutputPart<"parquet"> = {
  id: "parquet",
  title: "Parquet",
  extensions: ["parquet"],
  open(fields) {
    const columns = fields.map(columnOf);
    const writer = new TakenWriter(1 << 16);
    const schema: SchemaElement[] = [
      { name: "record", num_children: fields.length },
      ...columns.flatMap((c) => c.schema),
    ];
    const file = new ParquetWriter({ writer, schema, createdBy: "Good Sieve" });
    let data: unknown[][] = fields.map(() => []);
    const flush = (): void => {
      if (data[0]?.length) {
        void file.write({ columnData: fields.map((f, i) => ({ name: f.name, data: data[i]! })), rowGroupSize: GROUP });
        data = fields.map(() => []);
      }
    };
    return {
      add(values) {
        for (let f = 0; f < columns.length; f++) {
          const v = values[f]!;
          data[f]!.push(v === "" ? null : columns[f]!.value(v));
        }
        if (data[0]!.length === GROUP) flush();
      },
      take: () => writer.take(),
      end() {
        flush();
        void file.finish();
      },
    };
  },
};
