import { fieldsOut, type Contents } from "../write/files/contents.ts";
import { namesInPartitions } from "../write/files/partition.ts";
import { isBetween, type Plan } from "./document.ts";
import type { Field } from "../field/field.ts";
import { goneFields } from "./gone.ts";

/** The fields that a plan's own target has columns of: those of the contract but for what stays beside it. */
export function targetFields({ contract, load }: Pick<Plan, "contract" | "load">): Field[] {
  const { without } = load;
  return without ? contract.fields.filter((f) => !without.includes(f.name)) : contract.fields;
}

/** The fields of what goes out: rows of the target have what it has, records of loads have all, and some more. */
export function fieldsGoingOut(what: Contents, plan: Pick<Plan, "contract" | "load">): Field[] {
  return what === "rows" ? targetFields(plan) : fieldsOut(what, plan.contract.fields);
}

/** What of a plan needs a column that its target doesn't have, in words; null where nothing does. */
export function withoutFault(plan: Plan): string | null {
  const { without = [], key, slice, gone, arriving = {}, indexes = [], defaults = {}, taken_from = [] } = plan.load;
  if (without.length === 0) return null;
  if (new Set(without).size < without.length) return "A field is named once.";
  if (targetFields(plan).length === 0) return "The target needs a field at least.";
  if (plan.match) return "Where records are matched the target has all fields, as what is kept is made of its rows.";
  const needed: readonly (readonly [words: string, names: readonly string[]])[] = [
    ["of the key", key],
    ["what says which rows are replaced", slice === undefined ? [] : namesInPartitions(slice)],
    ["what says which rows have gone", gone ? goneFields(gone).map((f) => f.name) : []],
    ["said to arrive in a way of its own", Object.keys(arriving)],
    ["indexed", indexes.flat()],
    ["given a default", Object.keys(defaults)],
    ["taken from a further target", taken_from.map((t) => t.field)],
    [
      "what a parent in the target is known by",
      plan.check.flatMap((c) =>
        isBetween(c) && c.check === "has parent" && c["target"] === true ? (c["of"] as string[]) : [],
      ),
    ],
  ];
  for (const [words, names] of needed) {
    const name = names.find((n) => without.includes(n));
    if (name !== undefined) return `${name} is ${words}, so the target needs it.`;
  }
  return null;
}
