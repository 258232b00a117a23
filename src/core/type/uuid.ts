import { cellText } from "../kernel/bytes.ts";
import { eachCell } from "../kernel/column.ts";
import type { TypePart } from "./part.ts";

const HEX = "[0-9a-fA-F]";
const GROUPED = new RegExp(`^${HEX}{8}-${HEX}{4}-${HEX}{4}-${HEX}{4}-${HEX}{12}$`);
const BARE = new RegExp(`^${HEX}{32}$`);

/** An identifier of 128 bits (RFC 9562, 2024), in any of its usual forms; of any version. */
export const uuid: TypePart<object> = {
  id: "uuid",
  title: "UUID",
  about: "An identifier of 128 bits (RFC 9562), with or without hyphens, braces and urn:uuid:.",
  options: {},
  sql: () => "uuid",
  fits: ({ type }) => type === "uuid",
  expected: () => "32 hexadecimal digits in groups, such as 0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01",
  noun: "a UUID",
  value: () => "string",
  order: () => null,
  rewrites: true,
  convert: () =>
    eachCell((heap, cells, r) => {
      const text = cellText(heap, cells, r)
        .replace(/^urn:uuid:/i, "")
        .replace(/^\{(.*)\}$/, "$1");
      if (!GROUPED.test(text) && !BARE.test(text)) return false;
      const digits = text.replaceAll("-", "").toLowerCase();
      cells.start[r] = heap.append(digits.replace(/^(.{8})(.{4})(.{4})(.{4})/, "$1-$2-$3-$4-"));
      cells.end[r] = heap.length;
      return true;
    }),
  examples: [
    {
      options: {},
      from: "0190B3A4-7C1E-7D2A-8F3B-5A6C7D8E9F01",
      to: "0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01",
    },
    {
      options: {},
      from: "{0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01}",
      to: "0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01",
    },
    { options: {}, from: "0190b3a47c1e7d2a8f3b5a6c7d8e9f01", to: "0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01" },
    {
      options: {},
      from: "urn:uuid:0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01",
      to: "0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01",
    },
    { options: {}, from: "0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f0", to: null },
    { options: {}, from: "0190b3a4-7c1e7d2a-8f3b-5a6c7d8e9f01", to: null },
    { options: {}, from: "{0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f01", to: null },
  ],
};
