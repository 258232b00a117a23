import { plainName } from "./columns.ts";

/** A file of a delivery as far as it says what it is: its columns; none for one that can't be read. */
export interface FileOfKind {
  readonly columns: readonly string[];
}

/** The share of the names of two files' columns that both have, from which on they are of one kind. */
const OF_ONE_KIND = 0.5;

/** The share of the names of columns that two files have both (Jaccard, 1901). */
function shared(a: ReadonlySet<string>, b: ReadonlySet<string>): number {
  let both = 0;
  for (const name of a) if (b.has(name)) both++;
  return both / (a.size + b.size - both || 1);
}

/**
 * Parts files by what they are: those of one kind have at least half of their columns' names in common with one of it.
 * Files without names for their columns are of one kind where they have as many. The numbers of the files, in their order.
 */
export function kindsOfFiles(files: readonly FileOfKind[]): number[][] {
  const names = files.map(({ columns }) => new Set(columns.map(plainName)));
  const numbered = (i: number): boolean => names[i]!.size > 0 && [...names[i]!].every((n) => /^\d+$/.test(n));
  const alike = (i: number, k: number): boolean => {
    if (names[i]!.size === 0 || names[k]!.size === 0) return false;
    if (numbered(i) || numbered(k)) return numbered(i) && numbered(k) && names[i]!.size === names[k]!.size;
    return shared(names[i]!, names[k]!) >= OF_ONE_KIND;
  };
  const kinds: number[][] = [];
  for (let i = 0; i < files.length; i++) {
    // One that is like two kinds makes one of them.
    const like = kinds.filter((kind) => kind.some((k) => alike(i, k)));
    const joined = [...like.flat(), i].sort((a, b) => a - b);
    for (const kind of like) kinds.splice(kinds.indexOf(kind), 1);
    kinds.push(joined);
  }
  return kinds.sort((a, b) => a[0]! - b[0]!);
}
