import { columnOf, type ReferenceShape } from "../kernel/reference.ts";
import { counted, grouped } from "../kernel/problem.ts";
import { plainName } from "./columns.ts";
import { plainWords } from "../match/normalise.ts";
import type { LookUpLimits } from "../lookup/limits.ts";
import { countriesAmong, countryOf } from "../type/countries.ts";
import { prepareLookUp } from "../lookup/look-up.ts";
import { byLikeness, lookUpSchema, type LookUp } from "../lookup/schema.ts";

/** A field and the column of a list by which its entries are found, and what speaks for it. */
export interface KeyPair {
  readonly field: string;
  readonly column: string;
  /** Different values of the field, and those of them that the column has. */
  readonly different: number;
  readonly found: number;
  /** Both name countries, in words or languages of their own. */
  readonly as?: "country";
  readonly why: string;
}

/** How records find their entries in a list, as their values and the list's say. */
export interface LookUpProposal {
  /** None where no field and no column have anything in common. */
  readonly by: readonly KeyPair[];
  /** By score where most values are near to an entry and not the same, or are countries in other words. */
  readonly how: "exact" | "scored";
  /** By field that nothing fills: the column of the same name. */
  readonly bring: Readonly<Record<string, string>>;
  /** Keys that several entries have, by these columns, and how many entries these are. */
  readonly repeated: { readonly keys: number; readonly entries: number };
  /** The pair that would be the next best. */
  readonly other: KeyPair | null;
}

/** What is proposed for a look-up, and what its limits would be if it is by score. */
export interface ProposedLookUp extends LookUpProposal {
  readonly limits: LookUpLimits | null;
  /** Records that it was found out from. */
  readonly records: number;
}

/** Records that a proposal is made from: their values by field, as they are when the list is asked. */
export interface AskingRecords {
  readonly fields: readonly {
    readonly name: string;
    readonly title?: string | undefined;
    readonly also?: readonly string[] | undefined;
  }[];
  readonly rows: readonly (readonly string[])[];
}

export interface ListToAsk extends ReferenceShape {
  readonly name: string;
  readonly entries: readonly (readonly string[])[];
}

/** From this share of a field's values on that a column has, it is the key. */
const MOST_FOUND = 0.5;
/** And where the names are alike, from this one on. */
const SOME_FOUND = 0.2;
/** What names that are alike add to the share that is found. */
const NAMES_ALIKE = 0.3;
/** Values in common that fewer than so many are may be so by chance: numbers up to three, yes and no. */
const FEW_VALUES = 4;
/** Where so large a share of the entries has its key with others, another column is looked for beside it. */
const REPEATED = 0.02;
/** With a further pair so large a share must still be found. */
const STILL_FOUND = 0.9;
const MOST_PAIRS = 3;

const SEPARATOR = "\u001f";

/** The key by several columns of each row; "" where one of them is empty. */
function keysOf(rows: readonly (readonly string[])[], columns: readonly number[]): string[] {
  return rows.map((cells) => {
    const parts = columns.map((c) => plainWords(cells[c] ?? ""));
    return parts.includes("") ? "" : parts.join(SEPARATOR);
  });
}

function countsOf(keys: readonly string[]): Map<string, number> {
  const counts = new Map<string, number>();
  for (const key of keys) if (key !== "") counts.set(key, (counts.get(key) ?? 0) + 1);
  return counts;
}

/** Keys that several rows have, and how many rows these are. */
function repeatedIn(counts: ReadonlyMap<string, number>): { keys: number; entries: number } {
  let [keys, entries] = [0, 0];
  for (const n of counts.values()) {
    if (n < 2) continue;
    keys++;
    entries += n;
  }
  return { keys, entries };
}

/** A field and a column of the list that may be its key. */
interface Candidate {
  /** Numbers of the field and of the column. */
  readonly f: number;
  readonly c: number;
  readonly score: number;
  /** Whether the column has enough of the field's values to be the key as they stand. */
  readonly enough: boolean;
  readonly pair: KeyPair;
}

/** What is known of records and list before their pairs are looked at. */
interface Known {
  readonly records: AskingRecords;
  readonly list: ListToAsk;
  /** By field: its names, and its different values. */
  readonly names: readonly ReadonlySet<string>[];
  readonly given: readonly ReadonlySet<string>[];
}

/** How many of a field's values name a country that a column names too. */
function sameCountries(
  different: ReadonlySet<string>,
  field: ReadonlySet<string> | null,
  column: ReadonlySet<string> | null,
): number {
  if (!field || !column) return 0;
  let found = 0;
  for (const value of different) if (column.has(countryOf(value)?.alpha2 ?? "")) found++;
  return found;
}

/** Fields and columns that have values in common, or a name, the best first. */
function candidatesOf({ records, list, names, given }: Known): Candidate[] {
  const columns = list.columns.map((column, c) => {
    const counts = countsOf(keysOf(list.entries, [c]));
    const once = 1 - repeatedIn(counts).entries / Math.max(1, list.entries.length);
    return { column, c, counts, once, countries: countriesAmong(counts.keys()) };
  });
  const countries = given.map(countriesAmong);
  const all = records.fields.flatMap((field, f) =>
    columns.flatMap(({ column, c, counts, once, countries: inColumn }): Candidate[] => {
      const different = given[f]!;
      if (different.size === 0) return [];
      let found = 0;
      for (const value of different) if (counts.has(value)) found++;
      const named = sameCountries(different, countries[f]!, inColumn);
      const as = named > found ? ("country" as const) : undefined;
      if (as) found = named;
      const share = found / different.size;
      const alike = names[f]!.has(plainName(column));
      const enough = alike ? share >= SOME_FOUND : share >= MOST_FOUND && found >= FEW_VALUES;
      if (!enough && !alike) return [];
      const why = [
        `${grouped(found)} of ${counted(different.size, "different value")} of ${field.name} ${found === 1 ? "is" : "are"} in the column ${column}${as ? ", as countries in other words" : ""}`,
        once === 1 ? "each entry has another" : `${Math.floor(once * 100)} % of the entries have one of their own`,
        ...(alike ? ["the names are alike"] : []),
      ].join("; ");
      const score = (share + (alike ? NAMES_ALIKE : 0)) * (0.25 + 0.75 * once) * (found >= FEW_VALUES ? 1 : 0.5);
      return [
        {
          f,
          c,
          score,
          enough,
          pair: { field: field.name, column, different: different.size, found, ...(as && { as }), why },
        },
      ];
    }),
  );
  return all.sort((x, y) => Number(y.enough) - Number(x.enough) || y.score - x.score);
}

/** Keys of the list's entries by the columns of some pairs, with how many entries have each. */
const entriesBy = (list: ListToAsk, pairs: readonly Candidate[]): Map<string, number> => {
  const columns = pairs.map((p) => p.c);
  return countsOf(keysOf(list.entries, columns));
};

/** The best pair, and further ones where by it alone many entries are the same and by more of them they are not. */
function chosenOf({ records, list }: Known, candidates: readonly Candidate[]): Candidate[] {
  let chosen = candidates.slice(0, 1);
  if (!chosen[0]?.enough || chosen[0].pair.as) return chosen;
  const foundBy = (pairs: readonly Candidate[], entries: ReadonlyMap<string, number>): number => {
    const fields = pairs.map((p) => p.f);
    return keysOf(records.rows, fields).filter((key) => entries.has(key)).length;
  };
  let entries = entriesBy(list, chosen);
  for (const next of candidates.slice(1)) {
    const repeated = repeatedIn(entries).entries;
    if (chosen.length === MOST_PAIRS || repeated <= REPEATED * list.entries.length) break;
    if (!next.enough || chosen.some((p) => p.f === next.f || p.c === next.c)) continue;
    const more = [...chosen, next];
    const by = entriesBy(list, more);
    if (repeatedIn(by).entries >= repeated / 2) continue;
    if (foundBy(more, by) < STILL_FOUND * foundBy(chosen, entries)) continue;
    [chosen, entries] = [more, by];
  }
  return chosen;
}

/** Finds by which field records find their entries in a list, from names and from what both have; and what it would fill. */
export function proposeLookUp(records: AskingRecords, list: ListToAsk): LookUpProposal {
  const { fields, rows } = records;
  const names = fields.map(
    (f) => new Set([f.name, f.title ?? "", ...(f.also ?? [])].filter((n) => n !== "").map(plainName)),
  );
  const given = fields.map((_, f) => new Set(keysOf(rows, [f]).filter((k) => k !== "")));
  const known = { records, list, names, given };
  const candidates = candidatesOf(known);
  const chosen = chosenOf(known, candidates);
  if (chosen.length === 0) return { by: [], how: "exact", bring: {}, repeated: { keys: 0, entries: 0 }, other: null };
  const bring = fields.flatMap(({ name }, f) => {
    if (given[f]!.size > 0) return [];
    const column = list.columns.find((c, i) => names[f]!.has(plainName(c)) && !chosen.some((p) => p.c === i));
    return column === undefined ? [] : [[name, column] as const];
  });
  return {
    by: chosen.map((p) => p.pair),
    how: chosen[0]!.enough && !chosen[0]!.pair.as ? "exact" : "scored",
    bring: Object.fromEntries(bring),
    repeated: repeatedIn(entriesBy(list, chosen)),
    other: candidates.find((p) => !chosen.includes(p))?.pair ?? null,
  };
}

/** The limits of a look-up by score for records that ask it: from the list, and from how near to it what they ask for is. */
export function proposeLimits(
  { fields, rows }: AskingRecords,
  lookUp: LookUp & { how: "scored" },
  list: ListToAsk,
): LookUpLimits | null {
  if (lookUp.by.some((b) => columnOf(list, b.column) < 0)) return null;
  const { least: _, lead: __, bring: ___, ...open } = lookUp;
  const ask = prepareLookUp(lookUpSchema.parse({ ...open, bring: {} }), { ...list, version: 0 });
  const at = lookUp.by.map((b) => fields.findIndex((f) => f.name === b.field));
  const different = new Map(
    rows.map((row) => at.map((f) => row[f] ?? "")).map((values) => [values.join(SEPARATOR), values]),
  );
  return ask.likeness!.limitsOfAsked([...different.values()]);
}

/** How records would find their entries in the list of a look-up: its key, with its evidence, and limits of likeness. */
export function proposedFor(records: AskingRecords, lookUp: LookUp, list: ListToAsk): ProposedLookUp {
  const proposal = proposeLookUp(records, list);
  const by = byLikeness(proposal.by);
  // Also where it is by key, and some of the values are not in the list as they stand.
  const byScore = proposal.how === "scored" || proposal.by.some((p) => p.found < p.different);
  const scored: LookUp | null = lookUp.how === "scored" ? lookUp : byScore ? { ...lookUp, how: "scored", by } : null;
  const limits = scored?.how === "scored" ? proposeLimits(records, scored, list) : null;
  return { ...proposal, records: records.rows.length, limits };
}
