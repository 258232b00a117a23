import type { TypeId } from "../type/index.ts";

/** What every part of a plan speaks of: a leaf that imports nothing but the types of fields. */

export const PLAN_FORMAT = "good-sieve/plan@1";

/** What happens to a record whose value fails a check. */
export const ON_FAILURE = ["hold", "note", "stop"] as const;
export type OnFailure = (typeof ON_FAILURE)[number];

/** The checks that a field of a contract can carry. */
export const FIELD_CHECKS = ["type", "required", "length", "least", "most", "pattern", "unique"] as const;
export type FieldCheck = (typeof FIELD_CHECKS)[number];

/** A field of the contract; which of the properties may be there depends on its type. */
export interface Field {
  name: string;
  type: TypeId;
  title?: string;
  also?: string[];
  required?: boolean;
  unique?: boolean;
  least?: number | string;
  most?: number | string;
  pattern?: string;
  on_failure?: OnFailure | Partial<Record<FieldCheck, OnFailure>>;
  length?: number;
  precision?: number;
  scale?: number;
  words?: { yes: string[]; no: string[] };
  formats?: string[];
  values?: string[];
  sized?: boolean;
  bits?: "16" | "32" | "64";
  currency?: string;
  decimal?: "." | ",";
  of?: "text" | "integer" | "decimal" | "date";
  by?: string;
}

/** The stages that a load takes, in the order of its course. */
export const STAGES = ["Read", "Map", "Cleanse", "Check", "Look up", "Match", "Load"] as const;
export type Stage = (typeof STAGES)[number];
