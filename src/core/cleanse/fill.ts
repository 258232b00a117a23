import { z } from "zod";
import { cellText } from "../bytes.ts";
import { setCell, type StepPart } from "./part.ts";

export interface FillOptions {
  readonly with?: string | undefined;
  readonly from?: string | undefined;
}

/** What an empty cell gets: a value, or what another field of the record has. */
export const fill: StepPart<FillOptions> = {
  id: "fill",
  title: "Fill when empty",
  about: "Gives an empty cell a value, or what another field of the record has.",
  options: {
    with: z.string().min(1).max(1000).optional().describe("The value"),
    from: z.string().min(1).max(63).optional().describe("The field that it is taken from, instead of a value"),
  },
  fieldOptions: ["from"],
  words: (o) => `fill when empty ${o.from ? `from ${o.from}` : `with “${o.with ?? ""}”`}`,
  apply: () => () => 0,
  record: (o, { fields, targets }) => {
    const other = o.from === undefined ? -1 : fields.findIndex((f) => f.name === o.from);
    return (course) => {
      let n = 0;
      for (const f of targets) {
        const { start, end } = course.cells[f]!;
        for (let r = 0; r < course.count; r++) {
          if (start[r] !== end[r] || course.skip(r)) continue;
          const value = other >= 0 ? cellText(course.heap, course.cells[other]!, r) : (o.with ?? "");
          if (value !== "") n += setCell(course, f, r, value);
        }
      }
      return n;
    };
  },
  examples: [],
  records: [
    { in: ["a"], options: { with: "x" }, from: { a: "", b: "1" }, to: { a: "x", b: "1" } },
    { in: ["a"], options: { from: "b" }, from: { a: "", b: "1" }, to: { a: "1", b: "1" } },
    { in: ["a"], options: { from: "b" }, from: { a: "2", b: "1" }, to: { a: "2", b: "1" } },
  ],
};
