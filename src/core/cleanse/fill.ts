import { z } from "zod";
import { cellText } from "../kernel/bytes.ts";
import { setCell, type RecordCourse, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  with: z.string().min(1).max(1000).optional().describe("The value"),
  from: z.string().min(1).max(63).optional().describe("The field that it is taken from, instead of a value"),
  above: z.boolean().optional().describe("The value above it in the file, instead of either"),
};

export type FillOptions = OptionsOf<typeof options>;

/** What an empty cell gets: a value, what another field of the record has, or what the record above it has. */
export const fill: StepPart<FillOptions> = {
  id: "fill",
  title: "Fill when empty",
  about: "Gives an empty cell a value, what another field of the record has, or what stands above it in the file.",
  options,
  fieldOptions: ["from"],
  follows: (o) => o.above === true,
  words: (o) =>
    `fill when empty ${o.above ? "with the value above" : o.from ? `from ${o.from}` : `with “${o.with ?? ""}”`}`,
  apply: () => () => 0,
  record: (o, { fields, targets }) => {
    if (o.above) return (course) => targets.reduce((n, f) => n + fillAbove(course, f), 0);
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
    { in: ["a"], options: { above: true }, from: { a: "", b: "1" }, to: { a: "", b: "1" } },
    { in: ["a"], options: { from: "b" }, from: { a: "2", b: "1" }, to: { a: "2", b: "1" } },
  ],
};

/** The last value above goes on into empty cells, down to the end of the file; records that are left out have none. */
function fillAbove(course: RecordCourse, f: number): number {
  const name = String(f);
  const { start, end } = course.cells[f]!;
  let n = 0;
  let value = course.carried(name);
  // The record that has the value, read only when an empty cell asks for it.
  let at = -1;
  for (let r = 0; r < course.count; r++) {
    if (course.begins(r)) {
      value = "";
      at = -1;
    }
    if (course.skip(r)) continue;
    if (start[r] !== end[r]) {
      at = r;
      continue;
    }
    if (at >= 0) {
      value = cellText(course.heap, course.cells[f]!, at);
      at = -1;
    }
    if (value !== "") n += setCell(course, f, r, value);
  }
  course.carry(name, at >= 0 ? cellText(course.heap, course.cells[f]!, at) : value);
  return n;
}
