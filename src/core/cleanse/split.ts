import { z } from "zod";
import { cellText } from "../kernel/bytes.ts";
import { setCell, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  from: z.string().min(1).max(63).describe("The field that is divided"),
  by: z.string().min(1).max(20).describe("The mark between its parts"),
  many: z
    .enum(["last takes the rest", "the rest is dropped", "leave as it is"])
    .optional()
    .describe("What is done with more parts than there are fields; the last takes the rest unless said"),
};

export type SplitOptions = OptionsOf<typeof options>;

/** Divides a field among others, in their order. Fewer parts than fields leave the last ones empty. */
export const split: StepPart<SplitOptions> = {
  id: "split",
  makes: true,
  title: "Split a field",
  about: "Divides the value of a field at a mark among the fields of this step, in their order.",
  options,
  fieldOptions: ["from"],
  words: ({ from, by }) => `split ${from} at “${by}”`,
  apply: () => () => 0,
  record: ({ from, by, many = "last takes the rest" }, { fields, targets }) => {
    const source = fields.findIndex((f) => f.name === from);
    return (course) => {
      let n = 0;
      if (source < 0) return 0;
      for (let r = 0; r < course.count; r++) {
        const cell = course.cells[source]!;
        if (course.skip(r) || cell.start[r] === cell.end[r]) continue;
        const parts = cellText(course.heap, cell, r).split(by);
        if (parts.length > targets.length) {
          if (many === "leave as it is") continue;
          if (many === "last takes the rest") parts[targets.length - 1] = parts.slice(targets.length - 1).join(by);
        }
        targets.forEach((f, i) => {
          n += setCell(course, f, r, (parts[i] ?? "").trim());
        });
      }
      return n;
    };
  },
  examples: [],
  records: [
    { in: ["a", "b"], options: { from: "a", by: "," }, from: { a: "Ness, Gull", b: "" }, to: { a: "Ness", b: "Gull" } },
    { in: ["a", "b"], options: { from: "a", by: "," }, from: { a: "x,y,z", b: "" }, to: { a: "x", b: "y,z" } },
    {
      in: ["a", "b"],
      options: { from: "a", by: ",", many: "leave as it is" },
      from: { a: "x,y,z", b: "" },
      to: { a: "x,y,z", b: "" },
    },
    { in: ["a", "b"], options: { from: "a", by: "," }, from: { a: "x", b: "old" }, to: { a: "x", b: "" } },
  ],
};
