import { utf8 } from "../kernel/bytes.ts";
import { mapColumns } from "../map/columns.ts";
import type { Compiled } from "../course/compiled.ts";
import { arrivedCells } from "../course/of-record.ts";
import { recheck } from "../course/recheck.ts";
import { DelimitedReader } from "../read/delimited/reader.ts";
import type { ReadOptions } from "../read/settings.ts";

/** Cells of a record that has too few or too many of them, put to the columns where they fit. */
export interface Aligned {
  /** Cells that the record has. */
  readonly cells: number;
  /** Columns that get none, and cells that are taken together for one column, in words as they stand. */
  readonly empty: readonly string[];
  readonly joined: readonly string[];
  /** By field. */
  readonly values: Readonly<Record<string, string>>;
  /** No other way to put them fits as well. */
  readonly sure: boolean;
}

/** Columns and cells of a record that are tried: what is wider is put right by hand. */
const MOST_CELLS = 120;
/** What a cell in a column says: that it is none of its field, nothing, a text as any other, one of a pattern, a value of a type. */
const FIT = { wrong: -3, nothing: 0, text: 0.2, shaped: 1.5, typed: 2 };
/** What it costs to leave a column without a cell, and to take one cell more for a column. */
const COST = { empty: 0.4, joined: 1 };
/** Of two columns of which either may lack its cell, the later one is taken to. */
const EARLY = 0.001;
/** Two ways that are so near each other are as good as one another. */
const MARGIN = 0.25;

/** The cells of a raw record, whatever their number; null for what can't be told apart. */
function cellsOf(raw: string, read: ReadOptions): string[] | null {
  if (read.as !== "delimited" || !read.delimiter) return null;
  const { delimiter, quote = '"', escape = quote } = read;
  // A quote that is never closed is a letter like any other.
  for (const mark of [quote, ""]) {
    const options = { delimiter, quote: mark, escape: mark === "" ? "" : escape, header: false, skip: 0 };
    const reader = new DelimitedReader({ ...options, encoding: "utf-8" });
    for (const block of reader.push(utf8(raw), true)) {
      if (block.count === 1 && !block.unreadable.has(0)) return arrivedCells(block, 0);
    }
  }
  return null;
}

/** How well texts fit fields, each asked once. */
class Fits {
  private readonly known = new Map<string, number>();

  constructor(
    private readonly compiled: Compiled,
    /** By column the number of its field, -1 for none. */
    private readonly fieldOf: readonly number[],
  ) {}

  of(column: number, text: string): number {
    const f = this.fieldOf[column]!;
    if (f < 0 || text.trim() === "") return FIT.nothing;
    const key = `${f} ${text}`;
    let fit = this.known.get(key);
    if (fit === undefined) this.known.set(key, (fit = this.ask(f, text)));
    return fit;
  }

  private ask(f: number, text: string): number {
    const { fields } = this.compiled;
    const field = fields[f]!;
    const { problems } = recheck(
      this.compiled,
      fields.map((_, i) => (i === f ? text : "")),
    );
    if (problems.some((p) => p.field === field.name && p.onFailure !== "note")) return FIT.wrong;
    if (field.type !== "text") return FIT.typed;
    return field.pattern === undefined ? FIT.text : FIT.shaped;
  }
}

interface Way {
  readonly score: number;
  /** By column: the first of its cells, and the one after its last. */
  readonly spans: readonly (readonly [number, number])[];
}

/** The best two ways to put cells to columns in their order, a column having none, one or several (dynamic programming, Needleman and Wunsch 1970). */
function bestWays(columns: number, cells: readonly string[], delimiter: string, fits: Fits): Way[] {
  const many = Math.abs(cells.length - columns) + 1;
  /** By number of cells that are put: the best ways for the columns so far. */
  let ways: Way[][] = Array.from({ length: cells.length + 1 }, (_, c) => (c === 0 ? [{ score: 0, spans: [] }] : []));
  for (let column = 0; column < columns; column++) {
    const next: Way[][] = ways.map(() => []);
    for (let from = 0; from <= cells.length; from++) {
      for (const { score, spans } of ways[from]!) {
        for (let take = 0; take <= many && from + take <= cells.length; take++) {
          const text = cells.slice(from, from + take).join(delimiter);
          const gain =
            take === 0 ? -COST.empty - EARLY * (columns - column) : fits.of(column, text) - COST.joined * (take - 1);
          next[from + take]!.push({ score: score + gain, spans: [...spans, [from, from + take]] });
        }
      }
    }
    ways = next.map((list) => list.sort((a, b) => b.score - a.score).slice(0, 2));
  }
  return ways[cells.length]!;
}

/**
 * Puts the cells of a record that has too few or too many to the columns of its file, in their order, where they fit the
 * types and checks of their fields best. Null where there is nothing to put: no delimited text, or as many cells as columns.
 */
export function alignCells(
  compiled: Compiled,
  { raw, columns, read }: { raw: string; columns: readonly string[]; read: ReadOptions },
): Aligned | null {
  const cells = cellsOf(raw, read);
  if (!cells || cells.length === columns.length || cells.length < 2) return null;
  if (Math.max(cells.length, columns.length) > MOST_CELLS) return null;
  const { column } = mapColumns(columns, compiled.fields);
  const fieldOf = columns.map((_, c) => column.indexOf(c));
  const delimiter = read.delimiter!;
  const [best, second] = bestWays(columns.length, cells, delimiter, new Fits(compiled, fieldOf));
  if (!best) return null;
  const textAt = (c: number): string => cells.slice(...best.spans[c]!).join(delimiter);
  const takes = (c: number): number => best.spans[c]![1] - best.spans[c]![0];
  return {
    cells: cells.length,
    empty: columns.filter((_, c) => takes(c) === 0),
    joined: columns.flatMap((name, c) => (takes(c) > 1 ? [`${name}: ${textAt(c)}`] : [])),
    values: Object.fromEntries(fieldOf.flatMap((f, c) => (f < 0 ? [] : [[compiled.fields[f]!.name, textAt(c)]]))),
    sure: !second || best.score - second.score > MARGIN,
  };
}
