import { z } from "zod";
import { goneField, type Gone } from "./gone.ts";

/** What an empty cell does to a value that the target has. */
export const EMPTY_DOES = ["keep", "clear"] as const;
/** What a value may do to a value that the target has. */
export const VALUE_DOES = ["replace", "fill", "fix"] as const;

/** What the cells of a field may do to the row that their record meets in the target. */
export interface Arriving {
  /** An empty cell keeps what the target has, or clears it. */
  readonly empty: (typeof EMPTY_DOES)[number];
  /** Texts, as they stand after Cleanse, that mean: leave what is there as it is. */
  readonly leave: readonly string[];
  /** A value replaces what is there; or only fills what is empty; or is fixed once it is there, whatever comes. */
  readonly value: (typeof VALUE_DOES)[number];
}

/** The name under which the rule for all fields stands. */
export const ALL_FIELDS = "*";

const one = z.strictObject({
  empty: z
    .enum(EMPTY_DOES)
    .optional()
    .describe("An empty cell keeps what the target has, or clears it; keep unless said"),
  leave: z
    .array(z.string().min(1).max(200))
    .max(100)
    .optional()
    .describe("Texts, as they stand after Cleanse, that mean: leave what is there as it is"),
  value: z
    .enum(VALUE_DOES)
    .optional()
    .describe(
      "A value replaces what the target has (unless said), only fills what is empty there, or is fixed once it is there",
    ),
});

export const arrivingSchema = z
  .record(z.string().max(63), one)
  .describe("What cells may do to the row that their record meets, by field; * for all that are not named");
export type ArrivingSection = z.infer<typeof arrivingSchema>;

/** Of a plan, what says how cells arrive. */
interface WithRules {
  readonly load: { readonly arriving?: ArrivingSection | undefined; readonly gone?: Gone | undefined };
}

/** The rule that holds for a field: its own, else that for all, else: an empty cell keeps, a value replaces. */
export function arrivingOf({ load }: WithRules, field: string): Arriving {
  // A row that comes again is no longer marked as gone.
  if (goneField(load) === field) return { empty: "clear", leave: [], value: "replace" };
  const [all, own] = [load.arriving?.[ALL_FIELDS], load.arriving?.[field]];
  return {
    empty: own?.empty ?? all?.empty ?? "keep",
    leave: own?.leave ?? all?.leave ?? [],
    value: own?.value ?? all?.value ?? "replace",
  };
}

/** The load section without the rules of some fields. */
export function withoutArriving<Load extends WithRules["load"]>(
  load: Load,
  fields: readonly string[],
): Load | Omit<Load, "arriving"> {
  const { arriving, ...rest } = load;
  const own = Object.entries(arriving ?? {}).filter(([n]) => !fields.includes(n));
  return own.length > 0 ? { ...rest, arriving: Object.fromEntries(own) } : rest;
}

/** Why a cell did not change what the target had. */
export const KEPT_BECAUSE = ["empty", "leave", "fill", "fix", "only"] as const;
export type KeptBecause = (typeof KEPT_BECAUSE)[number];

/** What is said of cells that did not change what the target had: “empty cells kept what the target had”. */
export const KEPT_WORDS: Record<KeptBecause, { one: string; many: string }> = {
  empty: { one: "empty cell kept what the target had", many: "empty cells kept what the target had" },
  leave: { one: "cell said to leave what the target had", many: "cells said to leave what the target had" },
  fill: { one: "value came where the target had one", many: "values came where the target had one" },
  fix: { one: "value came where the target’s is fixed", many: "values came where the target’s are fixed" },
  only: { one: "value came for a row that is only inserted", many: "values came for rows that are only inserted" },
};

/** Cells of a field that did not change what the target had. */
export interface KeptCells {
  readonly field: string;
  readonly because: KeptBecause;
  readonly cells: number;
}

/** The fields that have texts meaning “leave it as it is”, each with the texts. */
export function leavesOf(
  plan: WithRules & {
    readonly load: { readonly key: readonly string[] };
    readonly contract: { readonly fields: readonly { readonly name: string }[] };
  },
): Map<string, ReadonlySet<string>> {
  const found = new Map<string, ReadonlySet<string>>();
  for (const { name } of plan.contract.fields) {
    const { leave } = arrivingOf(plan, name);
    if (leave.length > 0 && !plan.load.key.includes(name)) found.set(name, new Set(leave));
  }
  return found;
}
