import type { Field } from "../field/field.ts";
import { FARED, prepareLookUp, type Ask, type LookUpResult } from "./look-up.ts";
import type { LookUpLimits } from "./limits.ts";
import { columnOf, type Reference, type References } from "../kernel/reference.ts";
import { lookUpFields, type LookUp } from "./schema.ts";

/** A look-up made ready: numbers of the fields that it asks by and fills. */
export interface CompiledLookUp {
  readonly lookUp: LookUp;
  /** Null where its list is not at hand; then it is passed over. */
  readonly reference: Reference | null;
  readonly ask: Ask | null;
  /** Fields in the order in which `ask` takes their values. */
  readonly asks: readonly number[];
  /** The field with the day, or -1. */
  readonly on: number;
  /** Fields that are filled, each with the column of the partner it gets and what it gets without one. */
  readonly bring: readonly { readonly field: number; readonly column: number; readonly otherwise: string | null }[];
  readonly scoreIn: number;
  readonly leadIn: number;
  readonly fills: ReadonlySet<number>;
  /** Numbers of the checks that there is a partner, and not several; -1: none. Set when the checks are. */
  noneCheck: number;
  severalCheck: number;
}

export function compileLookUps(
  lookUps: readonly LookUp[],
  fields: readonly Field[],
  references: References,
  /** Those that are passed over, by name. */
  off: Readonly<Record<string, string>> = {},
): CompiledLookUp[] {
  const number = (name: string | undefined): number => fields.findIndex((f) => f.name === name);
  return lookUps.map((lookUp) => {
    const reference = Object.hasOwn(off, lookUp.name) ? null : (references.get(lookUp.list) ?? null);
    const by = (lookUp.by ?? []).map((b) => number(b.field));
    const names = new Set([...Object.keys(lookUp.bring), ...Object.keys(lookUp.default ?? {})]);
    return {
      lookUp,
      reference,
      ask: reference && prepareLookUp(lookUp, reference),
      asks: lookUp.how === "range" ? [number(lookUp.field), ...by] : by,
      on: number(lookUp.on),
      bring: [...names].map((name) => ({
        field: number(name),
        column: reference ? columnOf(reference, lookUp.bring[name]) : -1,
        otherwise: lookUp.default?.[name] ?? null,
      })),
      scoreIn: lookUp.how === "scored" ? number(lookUp.score_in) : -1,
      leadIn: lookUp.how === "scored" ? number(lookUp.lead_in) : -1,
      fills: new Set(lookUpFields(lookUp).fills.map(number)),
      noneCheck: -1,
      severalCheck: -1,
    };
  });
}

/** How the records of a load came out of a look-up. */
export interface LookUpCounts {
  readonly name: string;
  readonly list: string;
  readonly version: number;
  readonly counts: Record<LookUpResult, number>;
  /** What was asked for and has no partner, the commonest first. */
  readonly unknown: readonly { readonly values: readonly string[]; readonly count: number }[];
  /** Of a file of the delivery: entries that no record had as its partner, and the keys of some. */
  readonly unused?: { readonly count: number; readonly keys: readonly string[] };
  /** Of a file of the delivery: keys that several of its entries have, by which none of them can be found, and some of them. */
  readonly repeated?: { readonly count: number; readonly entries: number; readonly keys: readonly string[] };
  /** Of one by score: the limits that it used, and what they come to. */
  readonly limits?: LookUpLimits;
  /** Entries that are proposed for what has no partner, where the look-up does that: cells by the list's columns. */
  readonly proposed?: readonly { readonly cells: readonly string[]; readonly count: number }[];
}

/** Values without a partner that are counted one by one. */
const MOST_UNKNOWN = 200;

/** Entries that one load proposes. */
const MOST_PROPOSED = 1000;

/**
 * The entry that a record without a partner proposes: what it asks by, and what it says itself in the
 * fields that the look-up would fill.
 */
export function proposedEntry(
  { lookUp, reference, bring }: CompiledLookUp,
  values: readonly string[],
  valueOf: (field: number) => string,
): string[] {
  const cells = reference!.columns.map(() => "");
  for (const { field, column } of bring) if (column >= 0) cells[column] = valueOf(field);
  const columns = [...(lookUp.how === "range" ? [lookUp.from] : []), ...(lookUp.by ?? []).map((b) => b.column)];
  columns.forEach((name, i) => {
    const at = columnOf(reference!, name);
    if (at >= 0) cells[at] = values[i] ?? "";
  });
  return cells;
}

/** Counts how records fare with one look-up. */
export class LookUpTally {
  private readonly counts = Object.fromEntries(FARED.map((f) => [f, 0])) as Record<LookUpResult, number>;
  private readonly unknown = new Map<string, number>();
  private readonly proposed = new Map<string, number>();
  private readonly used = new Set<number>();

  /** Takes an entry that a record proposes; the same one again is counted. */
  propose(cells: readonly string[]): void {
    const key = JSON.stringify(cells);
    const known = this.proposed.get(key);
    if (known !== undefined || this.proposed.size < MOST_PROPOSED) this.proposed.set(key, (known ?? 0) + 1);
  }

  add(result: LookUpResult, values: readonly string[], entry: number): void {
    this.counts[result]++;
    if (entry >= 0) this.used.add(entry);
    if (result !== "none") return;
    const key = JSON.stringify(values);
    const known = this.unknown.get(key);
    if (known !== undefined || this.unknown.size < MOST_UNKNOWN) this.unknown.set(key, (known ?? 0) + 1);
  }

  /** What of a file of the delivery no record could have, or none had, as its partner. */
  private leftOf(
    reference: Reference,
    repeated: readonly (readonly number[])[],
  ): Pick<LookUpCounts, "unused" | "repeated"> {
    const key = columnOf(reference, reference.key);
    const keyOf = (entry: number): string => reference.entries[entry]![key] ?? "";
    const several = new Set(repeated.flat());
    const unused = reference.entries.flatMap((_, i) => (this.used.has(i) || several.has(i) ? [] : [i]));
    const keys = (entries: readonly number[]): string[] => entries.slice(0, MOST_UNKNOWN).map(keyOf);
    return {
      unused: { count: unused.length, keys: keys(unused) },
      ...(repeated.length > 0 && {
        repeated: { count: repeated.length, entries: several.size, keys: keys(repeated.map((of) => of[0]!)) },
      }),
    };
  }

  finish({ lookUp, reference, ask }: CompiledLookUp): LookUpCounts {
    const unknown = [...this.unknown].map(([key, count]) => ({ values: JSON.parse(key) as string[], count }));
    return {
      name: lookUp.name,
      list: lookUp.list,
      version: reference?.version ?? 0,
      counts: { ...this.counts },
      unknown: unknown.sort((a, b) => b.count - a.count),
      ...(lookUp.file === undefined || !reference ? {} : this.leftOf(reference, ask?.repeated?.() ?? [])),
      ...(ask?.likeness && { limits: ask.likeness.limits() }),
      ...(this.proposed.size > 0
        ? { proposed: [...this.proposed].map(([key, count]) => ({ cells: JSON.parse(key) as string[], count })) }
        : {}),
    };
  }
}
