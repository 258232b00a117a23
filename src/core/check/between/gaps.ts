import { z } from "zod";
import { plainNameSchema } from "../../plan/name.ts";
import { counted } from "../../kernel/problem.ts";
import { STEPPED, notOf, perGroup, valueText, type BetweenPart } from "./part.ts";
import { ROW } from "./runs.ts";
import type { OptionsOf } from "../../kernel/options.ts";

const options = {
  field: plainNameSchema.describe("The field whose values follow one another"),
  by: z.array(plainNameSchema).min(1).max(8).optional().describe("A sequence of its own for each value of these"),
  first: z.int().optional().describe("The number that a sequence begins with; any, unless said"),
};

type Options = OptionsOf<typeof options>;

/** Whole numbers, or days, that follow one another with none left out. */
export const gaps: BetweenPart<Options, "no gaps"> = {
  id: "no gaps",
  title: "no gaps",
  about: "The values of a whole number or a date follow one another, with none left out: running numbers, positions.",
  options,
  fieldOptions: ["field", "by"],
  onFailure: "note",
  words: ({ field, by, first }) =>
    `${field} has no gaps${perGroup(by)}${first === undefined ? "" : ` and begins with ${first}`}`,
  expected: "a value for each place of the sequence",
  fault: ({ field: name, first }, field) =>
    notOf([name], STEPPED, field) ??
    (first !== undefined && field(name)?.type === "date" ? "A first number is for whole numbers." : null),
  make({ field: name, by = [], first }, number, fields) {
    const field = number(name);
    const { type } = fields[field]!;
    const groups = by.map(number);
    const uses = [field, ...groups];
    return {
      uses,
      shows: uses,
      take(view, runs) {
        if (view.lacks(uses)) return;
        view.hash(groups);
        runs.put(view.a, view.b, view.number(field), view.record, view.file, view.line);
      },
      *resolve(runs) {
        let [last, file, line] = [0, 0, 0];
        for (const { row, begins } of runs.grouped()) {
          const at = row[ROW.at]!;
          const from = begins ? (first ?? at) : last + 1;
          if (at > from) {
            const n = at - from;
            const which = n === 1 ? valueText(type, from) : `${valueText(type, from)} to ${valueText(type, at - 1)}`;
            yield {
              record: row[ROW.record]!,
              file: begins ? null : file,
              line: begins ? null : line,
              detail: `${counted(n, type === "date" ? "day" : "number")} missing before it: ${which}`,
            };
          }
          last = at;
          file = row[ROW.file]!;
          line = row[ROW.line]!;
        }
      },
      message: ([value, ...group], detail, other) =>
        `${name} ${value}${group.length > 0 ? ` of ${group.join(", ")}` : ""}: ${detail}${other ? `; the one before is in ${other}` : ""}.`,
    };
  },
  examples: [
    {
      types: { n: "integer" },
      options: { field: "n" },
      records: [{ n: "7" }, { n: "4" }, { n: "5" }, { n: "5" }, { n: "" }, { n: "12" }],
      fails: { 0: "1 number missing before it: 6", 5: "4 numbers missing before it: 8 to 11" },
    },
    {
      types: { box: "text", place: "integer" },
      options: { field: "place", by: ["box"], first: 1 },
      records: [
        { box: "A", place: "1" },
        { box: "B", place: "2" },
        { box: "A", place: "2" },
      ],
      fails: { 1: "1 number missing before it: 1" },
    },
    {
      types: { day: "date" },
      options: { field: "day" },
      records: [{ day: "2026-02-27" }, { day: "2026-03-01" }],
      fails: { 1: "1 day missing before it: 2026-02-28" },
    },
  ],
};
