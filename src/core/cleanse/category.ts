import { z } from "zod";
import { FormulaColumns } from "../formula/columns.ts";
import { compileFormula } from "../formula/compile.ts";
import { formulaSchema } from "../formula/schema.ts";
import { setCell, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  rules: z
    .array(z.strictObject({ is: z.string().min(1).max(200), when: formulaSchema }))
    .min(1)
    .max(200)
    .describe("Each category and the formula that is true for it, the first that is true counts"),
  otherwise: z
    .string()
    .min(1)
    .max(200)
    .optional()
    .describe("What a record that no rule covers gets; nothing unless said"),
};

export type CategoryOptions = OptionsOf<typeof options>;

/** Which of some categories a record is in: that of the first rule that is true for it. */
export const category: StepPart<CategoryOptions> = {
  id: "category",
  makes: true,
  ofRecord: true,
  title: "Category by rules",
  about:
    "Sets the field to the category of the first rule that is true for the record; a record that no rule covers gets what is said otherwise, or nothing.",
  options,
  formulaOptions: ["rules"],
  words: ({ rules, otherwise }) =>
    `category by ${rules.length === 1 ? "a rule" : `${rules.length} rules`}: ${rules
      .slice(0, 4)
      .map((r) => r.is)
      .join(", ")}${rules.length > 4 ? ", …" : ""}${otherwise === undefined ? "" : `, else ${otherwise}`}`,
  apply: () => {
    throw new Error("a category needs its record");
  },
  record: ({ rules, otherwise = "" }, { fields, targets, named, lists, day }) => {
    const compiled = rules.map(({ is, when }) => ({
      is,
      columns: new FormulaColumns(compileFormula(when, { fields, named, lists, day })),
    }));
    return (course) => {
      let n = 0;
      for (const { columns } of compiled) columns.read(course, course.count, false);
      for (let r = 0; r < course.count; r++) {
        if (course.skip(r)) continue;
        const found = compiled.find(({ columns }) => {
          try {
            return columns.value(r) === true;
          } catch {
            // A rule without a value does not cover the record.
            return false;
          }
        });
        for (const f of targets) n += setCell(course, f, r, found?.is ?? otherwise);
      }
      return n;
    };
  },
  examples: [],
  records: [
    {
      in: ["b"],
      options: {
        rules: [
          { is: "long", when: "size(a) > 3" },
          { is: "short", when: "size(a) > 0" },
        ],
      },
      from: { a: "seed", b: "?" },
      to: { a: "seed", b: "long" },
    },
    {
      in: ["b"],
      options: {
        rules: [
          { is: "long", when: "size(a) > 3" },
          { is: "any", when: "true" },
        ],
      },
      from: { a: "ab", b: "" },
      to: { a: "ab", b: "any" },
    },
    {
      in: ["b"],
      options: { rules: [{ is: "long", when: "size(a) > 3" }] },
      from: { a: "", b: "was" },
      to: { a: "", b: "" },
    },
    {
      in: ["b"],
      options: { rules: [{ is: "long", when: "size(a) > 3" }], otherwise: "none" },
      from: { a: "", b: "" },
      to: { a: "", b: "none" },
    },
  ],
};
