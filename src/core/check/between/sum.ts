import { z } from "zod";
import type { Field } from "../../field/field.ts";
import { scaledText } from "../../type/scaled.ts";
import { plainNameSchema } from "../../plan/name.ts";
import { notOf, perGroup, type BetweenPart } from "./part.ts";
import { ROW } from "./runs.ts";
import type { OptionsOf } from "../../kernel/options.ts";

const options = {
  parts: plainNameSchema.describe("The field whose values are added up"),
  whole: plainNameSchema.describe("The field that says what they come to, in one record of the group or in all"),
  by: z.array(plainNameSchema).min(1).max(8).describe("The fields that tell the groups apart"),
  within: z.number().min(0).optional().describe("How far the sum may be from the whole"),
};

type Options = OptionsOf<typeof options>;

/** Digits that a sum is exact with. */
const EXACT_DIGITS = 15;

/** Parts of a group that add up to the whole that one or all of its records tell. */
export const sum: BetweenPart<Options, "parts sum"> = {
  id: "parts sum",
  title: "parts add up to the whole",
  about:
    "In each group of records the values of one field add up to what another field says; where they do not, all records of the group have the fault. A group in which no record says the whole passes.",
  options,
  fieldOptions: ["parts", "whole", "by"],
  onFailure: "hold",
  words: ({ parts, whole, by }) => `${parts} adds up to ${whole}${perGroup(by)}`,
  expected: "parts that add up to the whole",
  fault: ({ parts, whole }, field) => {
    const fault = notOf([parts, whole], ["integer", "decimal"], field);
    if (fault) return fault;
    const long = [parts, whole].find((n) => digitsOf(field(n)) > EXACT_DIGITS);
    return long ? `${long} has more than ${EXACT_DIGITS} digits; sums of so many are not exact.` : null;
  },
  make({ parts, whole, by, within = 0 }, number, fields) {
    const [part, all] = [number(parts), number(whole)];
    const groups = by.map(number);
    const scale = Math.max(fields[part]!.scale ?? 0, fields[all]!.scale ?? 0);
    const unit = 10 ** scale;
    const slack = BigInt(Math.round(within * unit));
    const units = (value: number): number => (Number.isNaN(value) ? NaN : Math.round(value * unit));
    return {
      uses: [part, all, ...groups],
      shows: [part, all, ...groups],
      take(view, runs) {
        if (view.lacks(groups)) return;
        view.hash(groups);
        const [p, q] = [units(view.number(part)), units(view.number(all))];
        runs.put(view.a, view.b, 0, view.record, view.file, view.line, p, q);
      },
      *resolve(runs) {
        // Twice over the rows, so that a group of any size needs no memory: what is wrong, then with whom.
        const faults = new Map<number, string>();
        let [group, total, said] = [-1, 0n, null as bigint | null];
        let fault: string | null = null;
        const end = (): void => {
          if (group < 0 || said === null) return;
          const off = total > said ? total - said : said - total;
          if (off > slack)
            fault ??= `adds up to ${scaledText(total, scale)}, and ${whole} says ${scaledText(said, scale)}`;
          if (fault) faults.set(group, fault);
        };
        for (const { row, begins } of runs.grouped()) {
          if (begins) {
            end();
            [total, said, fault] = [0n, null, null];
            group++;
          }
          if (!Number.isNaN(row[ROW.p]!)) total += BigInt(row[ROW.p]!);
          if (Number.isNaN(row[ROW.q]!)) continue;
          const one = BigInt(row[ROW.q]!);
          if (said !== null && said !== one) {
            fault ??= `has no one whole: ${whole} says ${scaledText(said, scale)} and ${scaledText(one, scale)}`;
          }
          said ??= one;
        }
        end();
        if (faults.size === 0) return;
        group = -1;
        for (const { row, begins } of runs.grouped()) {
          if (begins) group++;
          const detail = faults.get(group);
          if (detail !== undefined) yield { record: row[ROW.record]!, file: null, line: null, detail };
        }
      },
      message: ([, , ...group], detail) => `${parts} of ${by.join(" and ")} ${group.join(", ")} ${detail}.`,
    };
  },
  examples: [
    {
      types: { lot: "text", g: "decimal", total: "decimal" },
      options: { parts: "g", whole: "total", by: ["lot"] },
      records: [
        { lot: "L1", g: "0.1", total: "0.3" },
        { lot: "L1", g: "0.2", total: "" },
        { lot: "L2", g: "1.5", total: "4" },
        { lot: "L2", g: "2", total: "4" },
        { lot: "L3", g: "9", total: "" },
      ],
      fails: {
        2: "adds up to 3.5, and total says 4",
        3: "adds up to 3.5, and total says 4",
      },
    },
    {
      types: { lot: "text", g: "integer", total: "integer" },
      options: { parts: "g", whole: "total", by: ["lot"], within: 1 },
      records: [
        { lot: "L1", g: "3", total: "4" },
        { lot: "L2", g: "3", total: "3" },
        { lot: "L2", g: "0", total: "5" },
      ],
      fails: {
        1: "has no one whole: total says 3 and 5",
        2: "has no one whole: total says 3 and 5",
      },
    },
  ],
};

function digitsOf(field: Field | undefined): number {
  return field?.type === "decimal" ? (field.precision ?? 0) : 0;
}
