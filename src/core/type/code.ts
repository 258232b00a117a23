import { z } from "zod";
import { sameBytes, utf8 } from "../kernel/bytes.ts";
import { charactersOf, splitList, type TypePart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  values: z.array(z.string().min(1).max(200)).min(1).max(10_000).describe("The allowed values"),
};

export type CodeOptions = OptionsOf<typeof options>;

/** One of a list of allowed values, exactly as listed. */
export const code: TypePart<CodeOptions> = {
  id: "code",
  title: "Code",
  about: "One of a list of allowed values, exactly as listed.",
  options,
  line: {
    hint: "allowed values",
    show: ({ values }) => (values ?? []).join(", "),
    take: (t) => ({ values: splitList(t).length > 0 ? splitList(t) : ["?"] }),
  },
  sql: () => "text",
  fits: ({ type, labels }, { values }) =>
    labels ? values.every((v) => labels.includes(v)) : values.every((v) => [...v].length <= charactersOf(type)),
  expected: ({ values }) =>
    values.length <= 12
      ? `one of ${values.join(", ")}`
      : `one of ${values.length} values: ${values.slice(0, 10).join(", ")}, …`,
  noun: "one of the allowed values",
  value: () => "string",
  order: () => null,
  rewrites: false,
  convert({ values }) {
    const buckets = new Map<number, Uint8Array[]>();
    for (const value of values) {
      const bytes = utf8(value);
      const key = bucketOf(bytes, 0, bytes.length);
      buckets.set(key, [...(buckets.get(key) ?? []), bytes]);
    }
    return (heap, cells, count, bad) => {
      const { start, end } = cells;
      const { bytes } = heap;
      let n = 0;
      records: for (let r = 0; r < count; r++) {
        const s = start[r]!;
        const e = end[r]!;
        if (s === e) continue;
        const bucket = buckets.get(bucketOf(bytes, s, e));
        if (bucket) for (const value of bucket) if (sameBytes(bytes, s, e, value)) continue records;
        bad[n++] = r;
      }
      return n;
    };
  },
  examples: [
    { options: { values: ["BHG", "CWA"] }, from: "CWA", to: "CWA" },
    { options: { values: ["BHG", "CWA"] }, from: "cwa", to: null },
    { options: { values: ["é"] }, from: "é", to: "é" },
  ],
};

function bucketOf(bytes: Uint8Array, start: number, end: number): number {
  let h = end - start;
  for (let p = start; p < end; p++) h = (Math.imul(h, 31) + bytes[p]!) | 0;
  return h;
}
