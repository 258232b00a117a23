import { hexOf, type Value } from "../documents.ts";
import {
  PER_SECOND,
  bigFromBytes,
  dayText,
  decimalText,
  durationText,
  momentText,
  timeText,
  uuidText,
} from "../logical.ts";

interface AvroField {
  name: string;
  type: unknown;
  logicalType?: string;
  scale?: number;
}

interface AvroSchema {
  type?: unknown;
  logicalType?: string;
  scale?: number;
  fields?: AvroField[];
  items?: unknown;
  values?: unknown;
  name?: string;
}

export type Show = (value: unknown) => Value;

/** A field's type. Some programs say its logical type beside the type and not within it. */
function typeOf({ type, logicalType, scale }: AvroField): unknown {
  return typeof type === "string" && logicalType !== undefined ? { type, logicalType, scale } : type;
}

/** How a decoded value of a schema becomes text, by its logical type. */
export function shower(schema: unknown, named: Map<string, Show>): Show {
  if (typeof schema === "string") return named.get(schema) ?? plain;
  if (Array.isArray(schema)) {
    const branches = schema
      .filter((s) => s !== "null")
      .map((s) => ({ show: shower(s, named), has: holderOf(s, named) }));
    return (v) => (v === null ? null : (branches.find((b) => branches.length === 1 || b.has(v))?.show ?? plain)(v));
  }
  const s = schema as AvroSchema;
  const show = showerOf(s, named);
  if (s.name && (s.type === "fixed" || s.type === "enum")) named.set(s.name, show);
  return show;
}

/** Whether a decoded value can be one of a union's branch. */
function holderOf(schema: unknown, named: ReadonlyMap<string, Show>): (value: unknown) => boolean {
  const type = typeof schema === "string" ? schema : (schema as AvroSchema).type;
  switch (type) {
    case "string":
    case "enum":
      return (v) => typeof v === "string";
    case "boolean":
      return (v) => typeof v === "boolean";
    case "int":
    case "float":
    case "double":
      return (v) => typeof v === "number";
    case "long":
      return (v) => typeof v === "bigint";
    case "bytes":
    case "fixed":
      return (v) => v instanceof Uint8Array;
    case "array":
      return Array.isArray;
  }
  // Another type by its name: bytes of a fixed length, or a record.
  if (typeof schema === "string" && named.has(schema)) return () => true;
  return (v) => typeof v === "object" && !Array.isArray(v) && !(v instanceof Uint8Array);
}

function showerOf(s: AvroSchema, named: Map<string, Show>): Show {
  switch (s.logicalType) {
    case "date":
      return (v) => dayText(Number(v));
    case "time-millis":
      return (v) => timeText(BigInt(v as number), PER_SECOND.millis);
    case "time-micros":
      return (v) => timeText(BigInt(v as bigint), PER_SECOND.micros);
    case "timestamp-millis":
    case "timestamp-micros":
    case "timestamp-nanos":
    case "local-timestamp-millis":
    case "local-timestamp-micros":
    case "local-timestamp-nanos": {
      const perSecond = PER_SECOND[s.logicalType.slice(s.logicalType.lastIndexOf("-") + 1) as keyof typeof PER_SECOND];
      const zone = s.logicalType.startsWith("local-") ? "" : "Z";
      return (v) => momentText(BigInt(v as bigint), perSecond, zone);
    }
    case "decimal":
      // Of text or a number, a decimal is not one by the specification.
      return (v) => (v instanceof Uint8Array ? decimalText(bigFromBytes(v), s.scale ?? 0) : plain(v));
    case "uuid":
      return (v) => (v instanceof Uint8Array && v.length === 16 ? uuidText(v) : plain(v));
    case "duration":
      return (v) => (v instanceof Uint8Array && v.length === 12 ? durationText(v) : plain(v));
  }
  if (s.type === "record" || s.type === "error") {
    const fields: [string, Show][] = [];
    const show: Show = (v) => {
      const out: Record<string, Value> = {};
      for (const [name, f] of fields) out[name] = f((v as Record<string, unknown>)[name]);
      return out;
    };
    if (s.name) named.set(s.name, show);
    for (const f of s.fields ?? []) fields.push([f.name, shower(typeOf(f), named)]);
    return show;
  }
  if (s.type === "array") {
    const item = shower(s.items, named);
    return (v) => (v as unknown[]).map(item);
  }
  if (s.type === "map") {
    const value = shower(s.values, named);
    return (v) => Object.fromEntries(Object.entries(v as object).map(([k, x]) => [k, value(x)]));
  }
  return typeof s.type === "object" ? shower(s.type, named) : plain;
}

export const plain: Show = (v) => (v instanceof Uint8Array ? hexOf(v) : (v as Value));

const SCALARS = ["string", "boolean", "int", "long", "float", "double", "bytes"];

/** The fields of a schema of records that have nothing nested in them; null for any other. */
export function flatFields(schema: unknown): { name: string; show: Show | null }[] | null {
  const { type, fields } = schema as AvroSchema;
  if (type !== "record" || !fields) return null;
  const scalarNames = new Set(
    fields
      .flatMap((f) => [f.type].flat())
      .flatMap((t) => {
        const { type: of, name } = (t ?? {}) as AvroSchema;
        return name && (of === "fixed" || of === "enum") ? [name] : [];
      }),
  );
  const isScalar = (s: unknown): boolean =>
    typeof s === "string"
      ? SCALARS.includes(s) || scalarNames.has(s)
      : Array.isArray(s)
        ? s.filter((b) => b !== "null").length === 1 && s.every((b) => b === "null" || isScalar(b))
        : ["enum", "fixed"].includes((s as AvroSchema).type as string) || isScalar((s as AvroSchema).type);
  if (!fields.every((f) => isScalar(f.type))) return null;
  // Fields may name types that others before them have defined.
  const named = new Map<string, Show>();
  return fields.map((f) => ({ name: f.name, show: isPlain(f) && !isNamed(f.type) ? null : shower(typeOf(f), named) }));
}

/** Whether the schema is a name that is none of the specification's. */
function isNamed(schema: unknown): boolean {
  return Array.isArray(schema)
    ? schema.some(isNamed)
    : typeof schema === "string" && ![...SCALARS, "null"].includes(schema);
}

/** Whether values of the schema are text, numbers and the like, to be shown as they are. */
export function isPlain(schema: unknown): boolean {
  return !/"logicalType"|"bytes"|"fixed"/.test(JSON.stringify(schema));
}
