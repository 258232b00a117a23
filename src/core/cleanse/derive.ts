import { FormulaColumns, cellOf } from "../formula/columns.ts";
import { compileFormula } from "../formula/compile.ts";
import { formulaSchema } from "../formula/schema.ts";
import { setCell, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = { by: formulaSchema.describe("The formula; it is the field itself") };

export type DeriveOptions = OptionsOf<typeof options>;

/** What a field is, computed from others: by a formula, in which `it` is the field itself. */
export const derive: StepPart<DeriveOptions> = {
  id: "derive",
  makes: true,
  title: "Derive by a formula",
  about: "Sets the field to what a formula gives; empty where a field that it needs is empty.",
  options,
  writesDates: true,
  formulaOptions: ["by"],
  words: ({ by }) => `derive by ${by}`,
  apply: () => {
    throw new Error("a derived field needs its record");
  },
  record: ({ by }, { fields, targets, named, lists, day }) => {
    const formulas = targets.map((f) => {
      const formula = compileFormula(by, { fields, it: f, named, lists, day });
      return { f, formula, columns: new FormulaColumns(formula) };
    });
    return (course) => {
      let n = 0;
      for (const { f, formula, columns } of formulas) {
        columns.read(course, course.count, false);
        for (let r = 0; r < course.count; r++) {
          if (course.skip(r)) continue;
          let text: string;
          try {
            text = cellOf(columns.value(r), fields[f]!, formula.type);
          } catch {
            // Without a value the cell stays as it is, for the checks to judge.
            continue;
          }
          n += setCell(course, f, r, text);
        }
      }
      return n;
    };
  },
  examples: [],
  records: [
    { in: ["b"], options: { by: "a + '!'" }, from: { a: "x", b: "" }, to: { a: "x", b: "x!" } },
    { in: ["b"], options: { by: "a + '!'" }, from: { a: "", b: "y" }, to: { a: "", b: "" } },
    { in: ["b"], options: { by: "it == null ? a : it" }, from: { a: "x", b: "" }, to: { a: "x", b: "x" } },
    { in: ["a"], options: { by: "upper(it)" }, from: { a: "x", b: "z" }, to: { a: "X", b: "z" } },
  ],
};
