import type { KindField } from "./density.ts";
import type { Pool } from "../pairs/draw.ts";
import type { Patterns } from "./patterns.ts";
import type { RestDensity } from "./tree.ts";

/** Kinds of pairs beside those that have nothing to do with each other. */
export type KindName = "same" | "moved" | "related" | "related-otherwise";

/** Pairs of the records with those of another side, or with one another. */
export interface Source {
  /** Known and arriving records, or all with one another; or one of the two with itself. */
  readonly side: "across" | "incoming" | "known";
  readonly pool: Pool;
  /** Whether same pairs are looked for here; else it is there to see what pairs are like that are not the same. */
  readonly sought: boolean;
  /** Whether a record has one same one at most here. */
  readonly single: boolean;
}

/** How the search for the kinds begins. */
export interface Start {
  readonly kinds: readonly KindName[];
  readonly withTree: boolean;
  /** Same pairs within a side are no more of all than this. */
  readonly mostWithin?: number;
  /** Whether same pairs are held to be as alike as where there are few fields. */
  readonly strict?: boolean;
  /** Whether there are so few fields that same pairs must be held to be more alike. */
  readonly few?: boolean;
}

export interface Kind {
  readonly name: KindName;
  readonly fields: readonly KindField[];
  /** By source: the share of all its pairs. The first source is across, or all pairs where records are compared with one another. */
  readonly prior: readonly number[];
}

/** What pairs are judged by: the kinds, and what all others are like. */
export interface Densities {
  readonly kinds: readonly Kind[];
  readonly rest: RestDensity;
}

export interface Fit extends Densities {
  readonly start: Start;
  /** By how many bits the pools are likelier than pairs taken at random field by field. */
  readonly gain: number;
  /** By kind and field: of the pairs that have both values the share in which these have other numbers; of fields that may be shared, of those that are alike. */
  readonly otherNumbers: readonly (readonly number[])[];
}

/** Kinds with fewer pairs than this share of the same ones are as good as not there. */
export const THERE = 0.01;

/** Whether pairs of a kind are the same. */
export const isSame = (name: KindName): boolean => name === "same" || name === "moved";

/** Pairs that may be of a kind, by their patterns, with the probability that they are, by kind. */
export interface Active {
  /** Null for pairs that people have decided. */
  readonly source: Source | null;
  readonly patterns: Patterns;
  readonly chances: readonly Float64Array[];
}

/** By field: 1 where it hangs on another one. */
export function hanging({ fields, edges }: RestDensity): Uint8Array {
  const hangs = new Uint8Array(fields.length);
  for (const { field } of edges) hangs[field] = 1;
  return hangs;
}
