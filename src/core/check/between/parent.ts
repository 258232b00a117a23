import { z } from "zod";
import { plainNameSchema } from "../../plan/name.ts";
import type { TypeId } from "../../type/index.ts";
import type { BetweenPart } from "./part.ts";
import { ROW } from "./runs.ts";
import type { OptionsOf } from "../../kernel/options.ts";

const options = {
  fields: z.array(plainNameSchema).min(1).max(8).describe("The fields that name the parent"),
  of: z.array(plainNameSchema).min(1).max(8).describe("The fields by which the parent is known, in the same order"),
  target: z.boolean().optional().describe("It may be in the target from before"),
};

type Options = OptionsOf<typeof options>;

const NUMBERS: readonly TypeId[] = ["integer", "decimal"];
const TEXTS: readonly TypeId[] = ["text", "code"];

function comparable(a: TypeId, b: TypeId): boolean {
  return a === b || [NUMBERS, TEXTS].some((kind) => kind.includes(a) && kind.includes(b));
}

/** Records that speak of another record of the same delivery, which must be there. */
export const parent: BetweenPart<Options, "has parent"> = {
  id: "has parent",
  title: "has its parent",
  about:
    "What some fields say is what others say in a good record of the delivery: a child has its parent. Empty fields have none and pass.",
  options,
  fieldOptions: ["fields", "of"],
  onFailure: "hold",
  words: ({ fields, of, target }) =>
    `${fields.join(" and ")} is the ${of.join(" and ")} of a good record${target ? ", or of one in the target" : ""}`,
  expected: "the parent as a good record of the same delivery",
  fault: ({ fields, of }, field) => {
    if (fields.length !== of.length)
      return "It needs as many fields that name the parent as fields by which it is known.";
    for (const [i, name] of fields.entries()) {
      const [a, b] = [field(name)?.type, field(of[i]!)?.type];
      if (a && b && !comparable(a, b)) return `${name} is of the type ${a} and ${of[i]} of the type ${b}.`;
    }
    return null;
  },
  make({ fields: names, of, target }, number) {
    const [own, known] = [names.map(number), of.map(number)];
    return {
      uses: [...own, ...known],
      shows: own,
      take(view, runs) {
        // Parents stand before their children in the order of the rows.
        if (view.good && !view.lacks(known)) {
          view.hash(known);
          runs.put(view.a, view.b, 0, view.record, view.file, view.line);
        }
        if (view.lacks(own)) return;
        view.hash(own);
        runs.put(view.a, view.b, 1, view.record, view.file, view.line);
      },
      *resolve(runs) {
        let [a, b] = [NaN, NaN];
        for (const row of runs.rows()) {
          if (row[ROW.at] === 0) {
            a = row[ROW.a]!;
            b = row[ROW.b]!;
          } else if (row[ROW.a] !== a || row[ROW.b] !== b) {
            yield { record: row[ROW.record]!, file: null, line: null, detail: null };
          }
        }
      },
      message: (values) =>
        `${names.join(" and ")} ${values.map((v) => `“${v}”`).join(" and ")} is the ${of.join(" and ")} of no good record of the delivery${target ? ", nor of the target" : ""}.`,
    };
  },
  examples: [
    {
      types: { id: "text", mother: "text" },
      options: { fields: ["mother"], of: ["id"] },
      records: [
        { id: "B", mother: "A" },
        { id: "A", mother: "" },
        { id: "C", mother: "X" },
      ],
      fails: { 2: "" },
    },
    {
      types: { n: "decimal", whole: "integer" },
      options: { fields: ["whole"], of: ["n"] },
      records: [
        { n: "7.0", whole: "7" },
        { n: "", whole: "8" },
      ],
      fails: { 1: "" },
    },
  ],
};
