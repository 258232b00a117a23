import { z } from "zod";
import { cellText } from "../kernel/bytes.ts";
import { setCell, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  from: z.array(z.string().min(1).max(63)).min(1).max(50).describe("The fields, in their order"),
  with: z.string().max(20).describe("What stands between them"),
};

export type JoinOptions = OptionsOf<typeof options>;

/** Puts several fields together in one; empty ones leave no mark behind. */
export const join: StepPart<JoinOptions> = {
  id: "join",
  makes: true,
  title: "Put fields together",
  about: "Puts the values of several fields together in this one, a mark between them; empty ones are passed over.",
  options,
  fieldOptions: ["from"],
  words: (o) => `${o.from.join(" and ")} put together`,
  apply: () => () => 0,
  record: (o, { fields, targets }) => {
    const sources = o.from.map((name) => fields.findIndex((f) => f.name === name)).filter((f) => f >= 0);
    return (course) => {
      let n = 0;
      for (const f of targets) {
        for (let r = 0; r < course.count; r++) {
          if (course.skip(r)) continue;
          const value = sources
            .map((s) => cellText(course.heap, course.cells[s]!, r))
            .filter((v) => v !== "")
            .join(o.with);
          n += setCell(course, f, r, value);
        }
      }
      return n;
    };
  },
  examples: [],
  records: [
    {
      in: ["b"],
      options: { from: ["a", "b"], with: " " },
      from: { a: "Gull", b: "Ness" },
      to: { a: "Gull", b: "Gull Ness" },
    },
    { in: ["b"], options: { from: ["a", "b"], with: ", " }, from: { a: "", b: "x" }, to: { a: "", b: "x" } },
  ],
};
