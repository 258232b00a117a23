import { FormulaColumns } from "../formula/columns.ts";
import { compileFormula } from "../formula/compile.ts";
import { formulaSchema } from "../formula/schema.ts";
import type { StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = { when: formulaSchema.describe("The formula: records for which it is true are left out") };

export type LeaveOutOptions = OptionsOf<typeof options>;

/** Records that are not wanted at all: they end as left out, an outcome of its own. */
export const leaveOut: StepPart<LeaveOutOptions> = {
  id: "leave-out",
  leavesOut: true,
  ofRecord: true,
  title: "Leave records out",
  about: "Leaves out the records for which a formula is true; they are counted apart and not loaded.",
  options,
  formulaOptions: ["when"],
  words: ({ when }) => `leave out when ${when}`,
  apply: () => {
    throw new Error("what is left out is decided by the record");
  },
  record: ({ when }, { fields, named, lists, day }) => {
    const columns = new FormulaColumns(compileFormula(when, { fields, named, lists, day }));
    return (course) => {
      let n = 0;
      columns.read(course, course.count, false);
      for (let r = 0; r < course.count; r++) {
        if (course.skip(r)) continue;
        let out = false;
        try {
          out = columns.value(r) === true;
        } catch {
          // Where the formula has no value the record stays.
        }
        if (!out) continue;
        course.leaveOut(r);
        n++;
      }
      return n;
    };
  },
  examples: [],
  records: [
    { in: "*", options: { when: "a == 'test'" }, from: { a: "test", b: "" }, to: null },
    { in: "*", options: { when: "a == 'test'" }, from: { a: "x", b: "" }, to: { a: "x", b: "" } },
    { in: "*", options: { when: "a == 'test'" }, from: { a: "", b: "1" }, to: { a: "", b: "1" } },
  ],
};
