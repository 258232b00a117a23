import { z } from "zod";
import { plainNameSchema } from "../../plan/name.ts";
import { ORDERED, STEPPED, notOf, perGroup, valueText, type BetweenPart } from "./part.ts";
import { ROW } from "./runs.ts";
import type { OptionsOf } from "../../kernel/options.ts";

const options = {
  from: plainNameSchema.describe("The field in which a range begins"),
  to: plainNameSchema.describe("The field in which it ends, that value included"),
  by: z.array(plainNameSchema).min(1).max(8).optional().describe("Ranges of their own for each value of these"),
  meet: z.boolean().optional().describe("A range may begin with the very value that ends the one before"),
  gaps: z.enum(["allowed", "refused"]).optional().describe("Whether values between two ranges may be left out"),
};

type Options = OptionsOf<typeof options>;

/** Ranges of which no two have a value in common. */
export const overlaps: BetweenPart<Options, "no overlaps"> = {
  id: "no overlaps",
  title: "no overlaps",
  about:
    "No two ranges, from one field to another, have a value in common: periods, bands, shelves. An empty end has no limit. The range that begins later is the one with the fault.",
  options,
  fieldOptions: ["from", "to", "by"],
  onFailure: "hold",
  words: ({ from, to, by, gaps }) =>
    `${from} to ${to} has no overlaps${gaps === "refused" ? " and no gaps" : ""}${perGroup(by)}`,
  expected: "ranges that follow one another",
  fault: ({ from, to, meet, gaps }, field) => {
    const [a, b] = [field(from)?.type, field(to)?.type];
    if (a && b && a !== b) return `${from} is of the type ${a} and ${to} of the type ${b}; a range needs one type.`;
    const fault = notOf([from, to], ORDERED, field);
    if (fault) return fault;
    return gaps === "refused" && !meet && a && !STEPPED.includes(a)
      ? `Values of the type ${a} have no next one: where gaps are refused, ranges must meet.`
      : null;
  },
  make({ from, to, by = [], meet = false, gaps = "allowed" }, number, fields) {
    const [begin, end] = [number(from), number(to)];
    const { type } = fields[begin]!;
    const groups = by.map(number);
    const uses = [begin, end, ...groups];
    return {
      uses,
      shows: uses,
      take(view, runs) {
        if (view.lacks(groups)) return;
        const [first, last] = [view.number(begin), view.number(end)];
        if (Number.isNaN(first) && Number.isNaN(last)) return;
        // A range that ends before it begins has no value at all; to say so is for a check of the record.
        if (first > last) return;
        view.hash(groups);
        const start = Number.isNaN(first) ? -Infinity : first;
        runs.put(view.a, view.b, start, view.record, view.file, view.line, Number.isNaN(last) ? Infinity : last);
      },
      *resolve(runs) {
        // The range that reaches furthest so far.
        let [reach, file, line] = [0, 0, 0];
        for (const { row, begins } of runs.grouped()) {
          const [start, last] = [row[ROW.at]!, row[ROW.p]!];
          const where = { record: row[ROW.record]!, file, line };
          if (!begins) {
            const next = meet ? reach : reach + 1;
            if (start < reach || (start === reach && !meet)) {
              yield {
                ...where,
                detail: `overlaps the one that ends with ${reach === Infinity ? "no limit" : valueText(type, reach)}`,
              };
            } else if (gaps === "refused" && start > next) {
              yield { ...where, detail: `comes after a gap: the one before ends with ${valueText(type, reach)}` };
            }
          }
          if (begins || last > reach) {
            reach = last;
            file = row[ROW.file]!;
            line = row[ROW.line]!;
          }
        }
      },
      message: ([start, last, ...group], detail, other) =>
        `${from} ${start || "without limit"} to ${to} ${last || "without limit"}${group.length > 0 ? ` of ${group.join(", ")}` : ""} ${detail}${other ? `, in ${other}` : ""}.`,
    };
  },
  examples: [
    {
      types: { a: "integer", b: "integer" },
      options: { from: "a", to: "b" },
      records: [
        { a: "1", b: "5" },
        { a: "6", b: "9" },
        { a: "9", b: "12" },
        { a: "20", b: "" },
        { a: "25", b: "30" },
        // No range at all, which overlaps nothing.
        { a: "", b: "" },
      ],
      fails: { 2: "overlaps the one that ends with 9", 4: "overlaps the one that ends with no limit" },
    },
    {
      types: { shelf: "text", a: "date", b: "date" },
      options: { from: "a", to: "b", by: ["shelf"], gaps: "refused" },
      records: [
        { shelf: "N", a: "2026-01-01", b: "2026-01-31" },
        { shelf: "N", a: "2026-02-01", b: "2026-02-10" },
        { shelf: "S", a: "2026-01-05", b: "2026-01-06" },
        { shelf: "N", a: "2026-02-12", b: "2026-02-20" },
      ],
      fails: { 3: "comes after a gap: the one before ends with 2026-02-10" },
    },
    {
      types: { a: "decimal", b: "decimal" },
      options: { from: "a", to: "b", meet: true },
      records: [
        { a: "0", b: "2.5" },
        { a: "2.5", b: "4" },
        { a: "3.9", b: "5" },
      ],
      fails: { 2: "overlaps the one that ends with 4" },
    },
  ],
};
