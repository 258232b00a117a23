/**
 * Where values of an Avro schema end, found without making them. What a damaged file says of its own
 * lengths and counts is not to be trusted: a list that says it has a million million entries would
 * be made until all memory is used.
 */

/** Where a value ends that begins at `at`; throws a RangeError where it would go past `end`. */
export type Walk = (bytes: Uint8Array, at: number, end: number) => number;

interface Schema {
  type?: unknown;
  name?: string;
  namespace?: string;
  size?: number;
  fields?: { type: unknown }[];
  items?: unknown;
  values?: unknown;
}

/** Entries of no bytes that a list may have. */
export const MOST_EMPTY = 1_000_000;

function past(): never {
  throw new RangeError("a value goes past the end of its block");
}

const fixed =
  (size: number): Walk =>
  (_, at, end) =>
    at + size > end ? past() : at + size;

/** Where a whole number in zig-zag varint ends. */
const long: Walk = (bytes, at, end) => {
  for (let i = at; i < end && i < at + 10; i++) if (bytes[i]! < 128) return i + 1;
  return past();
};

/** The number that begins at `at`; beyond 53 bits only its size matters. */
function longAt(bytes: Uint8Array, at: number): number {
  let value = 0;
  for (let i = at, scale = 1; ; i++, scale *= 128) {
    value += (bytes[i]! & 127) * scale;
    if (bytes[i]! < 128) break;
  }
  return value % 2 === 0 ? value / 2 : -(value + 1) / 2;
}

const counted: Walk = (bytes, at, end) => {
  const from = long(bytes, at, end);
  const length = longAt(bytes, at);
  return length < 0 || from + length > end ? past() : from + length;
};

/** Blocks of entries, each with its count; one with a negative count says its length in bytes as well. */
const blocks =
  (entry: Walk): Walk =>
  (bytes, at, end) => {
    let p = at;
    for (;;) {
      const from = long(bytes, p, end);
      const count = longAt(bytes, p);
      p = count < 0 ? long(bytes, from, end) : from;
      if (count === 0) return p;
      let empty = 0;
      for (let i = Math.abs(count); i > 0; i--) {
        const next = entry(bytes, p, end);
        if (next === p && ++empty > MOST_EMPTY) past();
        p = next;
      }
    }
  };

const SCALARS: Readonly<Record<string, Walk>> = {
  null: (_, at) => at,
  boolean: fixed(1),
  int: long,
  long,
  float: fixed(4),
  double: fixed(8),
  bytes: counted,
  string: counted,
};

/** The walk over values of a schema; `named` are the types that have been met. */
export function walkOf(schema: unknown, named: Map<string, Walk> = new Map()): Walk {
  if (typeof schema === "string") {
    const known = SCALARS[schema];
    if (known) return known;
    // A type may stand in itself, before it is made.
    return (bytes, at, end) => (named.get(schema) ?? named.get(schema.split(".").at(-1)!) ?? past)(bytes, at, end);
  }
  if (Array.isArray(schema)) {
    const branches = schema.map((s) => walkOf(s, named));
    return (bytes, at, end) => {
      const from = long(bytes, at, end);
      const branch = branches[longAt(bytes, at)];
      return branch ? branch(bytes, from, end) : past();
    };
  }
  const s = schema as Schema;
  const name = (walk: Walk): Walk => {
    if (s.name) named.set(s.name.split(".").at(-1)!, walk);
    return walk;
  };
  switch (s.type) {
    case "record":
    case "error": {
      const fields: Walk[] = [];
      // Named before its fields are known, which may be of its own type.
      const walk = name((bytes, at, end) => fields.reduce((p, f) => f(bytes, p, end), at));
      for (const f of s.fields ?? []) fields.push(walkOf(f.type, named));
      return walk;
    }
    case "enum":
      return name(long);
    case "fixed":
      return name(fixed(s.size ?? 0));
    case "array":
      return blocks(walkOf(s.items, named));
    case "map": {
      const value = walkOf(s.values, named);
      return blocks((bytes, at, end) => value(bytes, counted(bytes, at, end), end));
    }
    default:
      return walkOf(s.type, named);
  }
}
