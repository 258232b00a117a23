import avro from "avsc";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { walkOf } from "@/core/read/avro/bounds.ts";

const SCHEMA = {
  type: "record",
  name: "packet",
  namespace: "vault",
  fields: [
    { name: "acc", type: "string" },
    { name: "n", type: ["null", "long", "string"] },
    { name: "g", type: "double" },
    { name: "f", type: "float" },
    { name: "ok", type: "boolean" },
    { name: "raw", type: "bytes" },
    { name: "kind", type: { type: "enum", name: "kind", symbols: ["seed", "spore"] } },
    { name: "again", type: "kind" },
    { name: "mark", type: { type: "fixed", name: "mark", size: 3 } },
    { name: "tags", type: { type: "array", items: "string" } },
    { name: "counts", type: { type: "map", values: { type: "array", items: "int" } } },
    { name: "part", type: ["null", "packet"], default: null },
  ],
} as const;
const type = avro.Type.forSchema(SCHEMA as never, { wrapUnions: false });

const leaf = fc.record({
  acc: fc.string(),
  n: fc.oneof(
    fc.constant(null),
    fc.maxSafeInteger().map((n) => Math.trunc(n / 4)),
    fc.string(),
  ),
  g: fc.double({ noNaN: true }),
  f: fc.float({ noNaN: true }),
  ok: fc.boolean(),
  raw: fc.uint8Array({ maxLength: 200 }).map((b) => Buffer.from(b)),
  kind: fc.constantFrom("seed", "spore"),
  again: fc.constantFrom("seed", "spore"),
  mark: fc.uint8Array({ minLength: 3, maxLength: 3 }).map((b) => Buffer.from(b)),
  tags: fc.array(fc.string(), { maxLength: 5 }),
  counts: fc.dictionary(fc.string(), fc.array(fc.integer(), { maxLength: 4 }), { maxKeys: 4 }),
});
const packet = fc
  .tuple(leaf, fc.option(leaf))
  .map(([outer, inner]) => ({ ...outer, part: inner && { ...inner, part: null } }));

describe("where an Avro value ends", () => {
  const walk = walkOf(SCHEMA);

  it("is found without making the value", () => {
    fc.assert(
      fc.property(packet, (value) => {
        const bytes = type.toBuffer(value);
        expect(walk(bytes, 0, bytes.length)).toBe(bytes.length);
        // With other values around it.
        const among = Buffer.concat([Buffer.alloc(3, 255), bytes, Buffer.alloc(5, 255)]);
        expect(walk(among, 3, among.length)).toBe(3 + bytes.length);
      }),
      { numRuns: 300 },
    );
  });

  it("is past the end of what was cut off", () => {
    fc.assert(
      fc.property(packet, fc.nat(), (value, at) => {
        const bytes = type.toBuffer(value);
        expect(() => walk(bytes, 0, at % bytes.length)).toThrow(RangeError);
      }),
      { numRuns: 300 },
    );
  });

  it("is never looked for long, whatever a file says of its lists", () => {
    // A count of nearly 2 to the 62nd.
    const many = [0xfe, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0x7f];
    const list = walkOf({ type: "array", items: "string" });
    expect(() => list(Uint8Array.from([...many, 2, 65, 0]), 0, many.length + 3)).toThrow(RangeError);
    const nothing = walkOf({ type: "array", items: "null" });
    expect(() => nothing(Uint8Array.from([...many, 0]), 0, many.length + 1)).toThrow(RangeError);
    expect(() => walkOf("string")(Uint8Array.from(many), 0, many.length)).toThrow(RangeError);
    expect(() => walkOf(["null", "int"])(Uint8Array.of(8, 1), 0, 2)).toThrow(RangeError);
    expect(() => walkOf("long")(new Uint8Array(20).fill(255), 0, 20)).toThrow(RangeError);
  });

  it("is known of blocks that say their length", () => {
    // Two entries in a block of four bytes, then none.
    const bytes = Uint8Array.of(3, 8, 2, 65, 2, 66, 0, 99);
    expect(walkOf({ type: "array", items: "string" })(bytes, 0, bytes.length)).toBe(7);
  });
});
