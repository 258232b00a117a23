import { CandidateIndex } from "../match/pairs/candidates.ts";
import { MatchTable, Values } from "../match/pairs/table.ts";
import type { MatchField } from "../match/schema.ts";
import type { Reference } from "../kernel/reference.ts";
import type { ScoredLookUp } from "./schema.ts";

/** Entries that are compared of all that may fit. */
const CANDIDATES = 60;
/** Values asked for until the index is made anew, so that it does not grow for ever. */
const MOST_ASKED = 100_000;

/** What a list has that is most like what was asked for. */
export interface NearestEntry {
  /** The accepted entry; -1 where nothing is like it. */
  readonly entry: number;
  /** 0 to 100. */
  readonly score: number;
  /** The score of the next best that is another accepted entry; 0 for none. */
  readonly next: number;
}

/** An accepted entry with its score. */
export interface Near {
  readonly entry: number;
  readonly score: number;
}

/**
 * The entries of a list that are most like some values: the score is the mean likeness of the compared
 * fields that both have, times 100.
 */
export class Nearest {
  private values: Values[] = [];
  private asked!: MatchTable;
  private index!: CandidateIndex;
  private count = Infinity;
  private readonly fields: readonly MatchField[];

  /**
   * @param columns the list's columns, in the order of `by`
   * @param usable entries that are asked
   * @param accepted by entry: the one that is accepted in its place
   */
  constructor(
    by: ScoredLookUp["by"],
    private readonly reference: Reference,
    private readonly columns: readonly number[],
    private readonly usable: readonly number[],
    private readonly accepted: Int32Array,
  ) {
    this.fields = by.map((b): MatchField => ({
      in: [b.field],
      by: b.compare,
      ...(b.compare !== "person" && b.as ? { as: b.as } : {}),
    }));
  }

  private begin(): void {
    this.values = this.fields.map((f, i) => new Values(f, i));
    const known = new MatchTable(this.values);
    for (const e of this.usable) known.add(this.columns.map((c) => this.reference.entries[e]![c]!));
    this.asked = new MatchTable(this.values);
    this.index = new CandidateIndex(known, CANDIDATES);
    this.count = 0;
  }

  /** The accepted entries that are like `texts`, each with the score of its best name, in no order. */
  private scores(texts: readonly string[], holds: (entry: number) => boolean): Map<number, number> {
    if (this.count++ >= MOST_ASKED) this.begin();
    const { asked, index, values } = this;
    asked.clear();
    asked.add(texts);
    const found = index.find(asked, 0);
    const scores = new Map<number, number>();
    for (let i = 0; i < found; i++) {
      const entry = this.usable[index.found[i]!]!;
      if (!holds(entry)) continue;
      let sum = 0;
      let compared = 0;
      for (let f = 0; f < values.length; f++) {
        const [a, b] = [asked.column(f)[0]!, index.known.column(f)[index.found[i]!]!];
        if (a === 0 || b === 0) continue;
        compared++;
        sum += a === b ? 1 : values[f]!.compare(values[f]!.texts[a]!, values[f]!.texts[b]!);
      }
      const score = compared === 0 ? 0 : (100 * sum) / compared;
      const partner = this.accepted[entry]!;
      if (score > (scores.get(partner) ?? -1)) scores.set(partner, score);
    }
    return scores;
  }

  /** The best entry, of several alike the first of the list. @param holds which entries may be found */
  find(texts: readonly string[], holds: (entry: number) => boolean): NearestEntry {
    let best: Near = { entry: -1, score: 0 };
    let next = 0;
    for (const [entry, score] of this.scores(texts, holds)) {
      if (score > best.score || (score === best.score && entry < best.entry)) {
        if (best.entry >= 0) next = Math.max(next, best.score);
        best = { entry, score };
      } else next = Math.max(next, score);
    }
    return { ...best, next };
  }

  /** The best entries, the best first. */
  best(texts: readonly string[], most: number, holds: (entry: number) => boolean): Near[] {
    return [...this.scores(texts, holds)]
      .map(([entry, score]) => ({ entry, score }))
      .sort((x, y) => y.score - x.score || x.entry - y.entry)
      .slice(0, most);
  }
}
