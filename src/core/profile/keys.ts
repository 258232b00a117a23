/** Columns that together tell one record from another, and what speaks for it. */
export interface KeyCandidate {
  readonly columns: readonly string[];
  /** Records that were looked at, those that repeat an earlier one, and those in which a column is empty. */
  readonly records: number;
  readonly repeats: number;
  readonly empty: number;
  /** Pairs of records that would be alike in these columns by chance alone, if the columns had nothing to do with each other. */
  readonly byChance: number;
}

/** A column of values by record, each as a hash of 32 bits; 0 for an empty one. */
export interface HashedColumn {
  readonly name: string;
  readonly hashes: Int32Array;
}

/** Columns that are combined at most: of more, the first ones, as keys stand at the front as a rule. */
const MOST_COLUMNS = 16;
/** Records by which most combinations are ruled out. */
const FIRST_LOOK = 2_000;
/** Share of records that may repeat an earlier one, or have an empty column: such would be held. */
const FAULTY = 0.01;
/** Fewer pairs alike by chance, and that there is none says nothing. */
const LEAST_BY_CHANCE = 20;
const MOST_FOUND = 5;

/**
 * Combinations of two, and where there is none of three, columns in which no two records are alike, or hardly any,
 * and more than a few would be by chance: with values drawn independently, records² / 2 times the product of each
 * column's Σp² pairs agree. Without that, any two columns of many different values would pass in a short file.
 * @param records how many of the hashes are records
 * @returns the strongest first
 */
export function findKeys(columns: readonly HashedColumn[], records: number): KeyCandidate[] {
  if (records < 2) return [];
  const usable = columns
    .map((column) => ({ ...column, agree: agreement(column.hashes, records) }))
    .filter(({ agree }) => agree.empty <= records * FAULTY && agree.chance < 1)
    .slice(0, MOST_COLUMNS);
  const judge = (set: readonly (typeof usable)[number][]): KeyCandidate | null => {
    const byChance = (records * records * set.reduce((p, c) => p * c.agree.chance, 1)) / 2;
    if (byChance < LEAST_BY_CHANCE) return null;
    const hashes = set.map((c) => c.hashes);
    const first = Math.min(records, FIRST_LOOK);
    if (repeatsOf(hashes, first).repeats > first * FAULTY) return null;
    const { repeats, empty } = repeatsOf(hashes, records);
    // A real key's repeats are slips; what goes together by chance leaves a share of what chance would.
    if (repeats + empty > records * FAULTY || repeats > byChance / 100) return null;
    return { columns: set.map((c) => c.name), records, repeats, empty, byChance: Math.round(byChance) };
  };
  const found: KeyCandidate[] = [];
  const n = usable.length;
  for (let i = 0; i < n; i++) {
    for (let j = i + 1; j < n; j++) {
      const pair = judge([usable[i]!, usable[j]!]);
      if (pair) found.push(pair);
    }
  }
  for (let i = 0; found.length === 0 && i < n; i++) {
    for (let j = i + 1; j < n; j++) {
      for (let k = j + 1; k < n; k++) {
        const three = judge([usable[i]!, usable[j]!, usable[k]!]);
        if (three) found.push(three);
      }
    }
  }
  return found
    .sort((a, b) => a.repeats + a.empty - (b.repeats + b.empty) || b.byChance - a.byChance)
    .slice(0, MOST_FOUND);
}

/** How likely two records have the same value in a column, and how many have none. */
function agreement(hashes: Int32Array, records: number): { chance: number; empty: number } {
  const counts = new Map<number, number>();
  let empty = 0;
  for (let r = 0; r < records; r++) {
    if (hashes[r] === 0) empty++;
    else counts.set(hashes[r]!, (counts.get(hashes[r]!) ?? 0) + 1);
  }
  let chance = 0;
  for (const count of counts.values()) chance += (count / records) ** 2;
  return { chance, empty };
}

/** Records that are alike an earlier one in all columns, and those in which a column is empty. */
function repeatsOf(columns: readonly Int32Array[], records: number): { repeats: number; empty: number } {
  const seen = new Set<number>();
  let empty = 0;
  let filled = 0;
  for (let r = 0; r < records; r++) {
    let a = 0x9e3779b9;
    let b = 0x7f4a7c15;
    let whole = true;
    for (const hashes of columns) {
      const h = hashes[r]!;
      whole &&= h !== 0;
      a = Math.imul(a ^ h, 0x85ebca6b);
      a ^= a >>> 15;
      b = Math.imul(b + h, 0xc2b2ae35);
      b ^= b >>> 13;
    }
    if (!whole) {
      empty++;
      continue;
    }
    filled++;
    // 53 bits of both, which a number holds exactly.
    seen.add((a >>> 0) * 2 ** 21 + (b >>> 11));
  }
  return { repeats: filled - seen.size, empty };
}
