import type { Choice } from "./choose.ts";
import { THERE, isSame, type Densities } from "./kinds.ts";
import type { FieldFacts } from "./fields.ts";
import type { KindField } from "./density.ts";
import type { Rivals } from "./rivals.ts";

/** All that pairs are judged by, as threads tell each other. */
export interface PairModel extends Densities {
  /** Pairs of records from this one on with one another are of the second source, where records are compared with one another. */
  readonly start: number;
  readonly rivals: Rivals;
}

/** How far the probabilities of each level of a field are known, and what follows from them. */
export interface FieldModel {
  /** Share of same pairs that are of the level. */
  readonly m: number[];
  /** Share of random pairs that are of it. */
  readonly u: number[];
  /** Bits of evidence that the level gives: the binary logarithm of m over u. */
  readonly weights: number[];
}

/**
 * A model as reports keep it. Fellegi and Sunter's (1969): each compared field gives bits of evidence by
 * its level, they are added to the odds that any two records at all are the same.
 */
export interface MatchModel {
  /** The share of all pairs that are the same, and alike in the usual way. */
  readonly prior: number;
  readonly fields: readonly FieldModel[];
  /** More kinds of pairs than the same and random ones, where the data has them. */
  readonly kinds?: readonly PairKind[];
  /** Which fields hang on which among pairs that are not the same, by their numbers. Left out by models from before it was estimated. */
  readonly hangs?: readonly (readonly [field: number, on: number])[];
  /** Fields that were left out, and why. */
  readonly silent?: readonly (readonly [field: number, why: "noise"])[];
}

/** `moved` pairs are the same, with other values in what may be shared; `related` ones are not, and have just that in common. */
export interface PairKind {
  readonly kind: "moved" | "related";
  /** The share of all pairs that are of the kind. */
  readonly prior: number;
  readonly fields: readonly KindField[];
}

/** The share of all pairs that are the same. */
export function sameShare(model: MatchModel): number {
  return model.prior + (model.kinds ?? []).reduce((n, k) => n + (k.kind === "moved" ? k.prior : 0), 0);
}

/** That fields go together is said where they have both in common this often when they have the one. */
const WORTH_SAYING = 0.3;

/** A model as reports keep it. */
export function summaryOf({ fit }: Choice, facts: readonly FieldFacts[]): MatchModel {
  const same = fit.kinds.find((k) => k.name === "same")!;
  const kinds = fit.kinds.flatMap(({ name, prior, fields }): PairKind[] =>
    name === "same" || prior[0]! < THERE * same.prior[0]!
      ? []
      : [{ kind: isSame(name) ? "moved" : "related", prior: prior[0]!, fields }],
  );
  const hangs = fit.rest.edges.flatMap(({ field, parent, by }) =>
    by[0]!.shares[0]! >= WORTH_SAYING ? [[field, parent] as const] : [],
  );
  kinds.sort((a, b) => Number(a.kind === "moved") - Number(b.kind === "moved"));
  return {
    prior: same.prior[0]!,
    fields: same.fields.map(({ shares, weights }, f) => ({
      m: [...shares],
      u: [...facts[f]!.u],
      weights: [...weights],
    })),
    ...(kinds.length > 0 && { kinds }),
    ...(hangs.length > 0 && { hangs }),
    ...(facts.some((f) => f.silent) && {
      silent: facts.flatMap((f, i) => (f.silent ? [[i, f.silent] as const] : [])),
    }),
  };
}
