import { isLosslessNumber } from "lossless-json";
import { z } from "zod";
import { eachCell } from "../kernel/column.ts";
import { isIsoDay } from "./calendar.ts";
import { jsonValue } from "./json.ts";
import { takesDecimals, type TypePart } from "./part.ts";
import { cellText, utf8 } from "../kernel/bytes.ts";
import type { OptionsOf } from "../kernel/options.ts";

const OF = ["text", "integer", "decimal", "date"] as const;
export type ListOf = (typeof OF)[number];

const options = {
  of: z.enum(OF).default("text").describe("What each value is"),
  by: z.string().min(1).max(10).default(";").describe("The mark between values; spaces around it are passed over"),
};

export type ListOptions = OptionsOf<typeof options>;

/** By what a list is of: the column's element type, and whether a value is one. */
const ELEMENTS: Record<ListOf, { readonly sql: string; readonly words: string; is(text: string): boolean }> = {
  text: { sql: "text", words: "values", is: () => true },
  integer: { sql: "bigint", words: "whole numbers", is: (t) => /^[+-]?\d{1,18}$/.test(t) },
  decimal: { sql: "numeric", words: "numbers with a decimal point", is: (t) => /^[+-]?\d{1,60}(\.\d{1,60})?$/.test(t) },
  date: {
    sql: "date",
    words: "days such as 2026-05-31",
    is: (t) => isIsoDay(utf8(t), 0, t.length),
  },
};

/** The values of a cell: those of a JSON array of plain values, or what stands between the marks; null where it is neither. */
function valuesOf(text: string, { of, by }: ListOptions): string[] | null {
  const { is } = ELEMENTS[of];
  let values: string[];
  const trimmed = text.trim();
  if (trimmed.startsWith("[") && trimmed.endsWith("]")) {
    const value = jsonValue(trimmed);
    if (!Array.isArray(value)) return null;
    if (value.some((v) => (typeof v === "object" && !isLosslessNumber(v)) || v === null)) return null;
    values = value.map(String);
  } else
    values = text
      .split(by)
      .map((v) => v.trim())
      .filter((v) => v !== "");
  return values.every(is) ? values : null;
}

/** Values as PostgreSQL writes an array of them. */
function arrayText(values: readonly string[]): string {
  return `{${values.map((v) => `"${v.replace(/["\\]/g, "\\$&")}"`).join(",")}}`;
}

/** The values of a canonical list, which `convert` has written. */
export function listValues(canonical: string): string[] {
  return [...canonical.matchAll(/"((?:[^"\\]|\\.)*)"/gs)].map(([, v]) => v!.replace(/\\(.)/gs, "$1"));
}

/** Several values in one cell, with a mark between them or as a JSON array. */
export const list: TypePart<ListOptions> = {
  id: "list",
  title: "List of values",
  about: "Several values in one cell, with a mark between them or as a JSON array of plain values.",
  options,
  line: {
    hint: "of what, mark between",
    show: ({ of, by }) => `${of ?? "text"} ${by ?? ";"}`,
    take(t) {
      const [, of, by] = /^\s*(\w+)?\s*(\S*)\s*$/.exec(t) ?? [];
      return { of: OF.find((o) => o === of) ?? "text", by: by === undefined || by === "" ? ";" : by };
    },
  },
  sql: ({ of }) => `${ELEMENTS[of].sql}[]`,
  fits: ({ type }, { of }) =>
    type.endsWith("[]") &&
    (type === `${ELEMENTS[of].sql}[]` ||
      (of === "text" && type === "character varying[]") ||
      (of === "integer" && takesDecimals(type.slice(0, -2), 18, 0))),
  expected: ({ of, by }) => `${ELEMENTS[of].words} with “${by}” between them, or a JSON array of them`,
  noun: "a list of that kind",
  value: () => "list",
  order: () => null,
  rewrites: true,
  convert: (options) =>
    eachCell((heap, cells, r) => {
      const values = valuesOf(cellText(heap, cells, r), options);
      if (!values) return false;
      cells.start[r] = heap.append(arrayText(values));
      cells.end[r] = heap.length;
      return true;
    }),
  examples: [
    { options: { of: "text", by: ";" }, from: "elm; ash;", to: '{"elm","ash"}' },
    { options: { of: "text", by: ";" }, from: '["a;b", "say \\"c\\""]', to: '{"a;b","say \\"c\\""}' },
    { options: { of: "text", by: "|" }, from: "C:\\a|b", to: '{"C:\\\\a","b"}' },
    { options: { of: "integer", by: "," }, from: "1, 2,3", to: '{"1","2","3"}' },
    { options: { of: "integer", by: "," }, from: "[1, 2]", to: '{"1","2"}' },
    { options: { of: "integer", by: "," }, from: "1, two", to: null },
    { options: { of: "decimal", by: ";" }, from: "1.5;2", to: '{"1.5","2"}' },
    { options: { of: "date", by: ";" }, from: "2026-05-31; 2026-02-31", to: null },
    { options: { of: "text", by: ";" }, from: '[{"a": 1}]', to: null },
    { options: { of: "text", by: ";" }, from: "[]", to: "{}" },
  ],
};
