import { isTitle } from "../header.ts";
import type { ReadSettings } from "../settings.ts";

export const DELIMITERS = [",", ";", "\t", "|", "^", "~", "\u001f", "||", "::"];
/** Taken for delimiters only where every line says so. */
const RARE_DELIMITERS = [":", "¦", "#", "*", " "];
/** Lines of the beginning that delimiters are tried on. */
const LOOKED_AT = 400;
/** Lines before the header that are passed over by themselves. */
const MOST_SKIPPED = 30;

/**
 * What parts cells and stands around them, as set or as it fits the first lines of a text best.
 * @param row the mark that ended records before lines were made of them
 * @param whole false where the last line may be cut off
 */
export function guessMarks(text: string, row: string | undefined, settings: ReadSettings, whole: boolean): Guess {
  const set = setDelimiter(settings);
  const tried = (marks: Marks): Guess => ({ ...marks, ...consistency(text, marks, settings.skip, whole) });
  const marks = marksToTry(text, settings);
  const better = (one: Guess, best: Guess): boolean =>
    (set !== null || one.score > 0) &&
    (one.score > best.score || (one.score === best.score && one.unclosed < best.unclosed && one.score > 0));
  /** The best of what these delimiters give, or `best` where none is better. */
  const look = (delimiters: readonly string[], best: Guess): Guess =>
    marks
      .flatMap((m) => delimiters.map((delimiter) => ({ ...m, delimiter })))
      .filter(({ delimiter, quote }) => delimiter !== quote && delimiter !== row)
      .reduce<Guess>((best, m) => {
        const one = tried(m);
        return better(one, best) ? one : best;
      }, best);

  const none = nothingFits(settings, set ?? ",");
  let best = look(set ? [set] : DELIMITERS, none);
  if (!set && best.score < 0) {
    // Words are a blank apart too, and times have colons: only lines that all have as many are cells, and never two.
    best = RARE_DELIMITERS.map((rare) => look([rare], none)).find((g) => standsOut(g.delimiter, g.table)) ?? none;
  }
  if (best.table.length > 0) return best;
  // Of one column alone, or of none.
  const { table, lineOf } = tried(best);
  return { ...best, table, lineOf };
}

/** The delimiter that a person set, or null. */
export const setDelimiter = ({ delimiter }: ReadSettings): string | null =>
  delimiter && delimiter !== "auto" ? delimiter : null;

/** What is taken where nothing tells. */
const nothingFits = ({ quote = '"', escape = quote, comment = "" }: ReadSettings, delimiter: string): Guess => ({
  delimiter,
  quote,
  escape,
  comment,
  score: -1,
  why: "no delimiter stands out, so a comma",
  skip: 0,
  table: [],
  lineOf: (row) => row,
  unclosed: 0,
});

/** Whether a rare delimiter parts all lines into as many cells, and no times of day or addresses of a network. */
function standsOut(delimiter: string, table: readonly (readonly string[])[]): boolean {
  const width = table[0]?.length ?? 0;
  if (width < 3 || table.length < 3 || table.some((r) => r.length !== width)) return false;
  if (delimiter !== ":") return true;
  const times = table.filter((r) => /\d:[0-5]\d/.test(r.join(":"))).length;
  return times < table.length / 2 && table.some((r) => r.some((c) => c.length > 2));
}

/** Marks that end records in files that have no lines: the record separator of ASCII, and those that people choose. */
const ROW_MARKS = ["\u001e", "~", "^", "|"];

/** A text whose records end with a mark, with line ends in the place of it. */
export function asLines(text: string, mark: string): string {
  return text
    .split(mark)
    .map((record) => record.replace(/^[\r\n]+/, "").replace(/[\r\n]+/g, " "))
    .join("\n");
}

/**
 * The mark that ends records, where line ends do not: it comes three times at least, line ends stand nowhere but behind it,
 * and what stands between has as many cells, two at least, each time.
 */
export function rowMark(text: string, settings: ReadSettings): string | undefined {
  return ROW_MARKS.find((mark) => {
    if (mark === settings.delimiter || mark === settings.quote) return false;
    const records = text.split(mark);
    if (records.length < 4) return false;
    const inside = records.map((r, i) =>
      r.replace(/^[\r\n]+/, "").replace(i === records.length - 1 ? /\s+$/ : /$^/, ""),
    );
    if (inside.some((r) => /[\r\n]/.test(r))) {
      // The record separator of ASCII stands in no text by chance.
      if (mark !== "\u001e") return false;
    }
    const own = records.map((r) => r.trim()).filter((r) => r !== "");
    return DELIMITERS.some((d) => {
      if (d === mark) return false;
      const width = own[0]!.split(d).length;
      return width >= 2 && own.slice(0, -1).every((r) => r.split(d).length === width);
    });
  });
}

/** What stands between cells and around them. */
interface Marks {
  readonly delimiter: string;
  readonly quote: string;
  readonly escape: string;
  readonly comment: string;
}

export interface Guess extends Marks {
  readonly score: number;
  readonly why: string;
  readonly skip: number;
  readonly table: string[][];
  /** How many lines stand before a row of the table. */
  readonly lineOf: (row: number) => number;
  /** Cells that begin with a quote and do not end with one. */
  readonly unclosed: number;
}

/** Quotes and what stands before one in a cell, as set or as they could be in a text; the usual ones first. */
function marksToTry(text: string, settings: ReadSettings): Omit<Marks, "delimiter">[] {
  const { comment = "" } = settings;
  const quotes =
    settings.quote !== undefined ? [settings.quote] : ['"', ...(/(^|[^\p{L}\p{N}])'/mu.test(text) ? ["'"] : [])];
  return quotes.flatMap((quote) => {
    if (settings.escape !== undefined) return [{ quote, escape: settings.escape, comment }];
    const doubled = { quote, escape: quote, comment };
    return quote !== "" && text.includes(`\\${quote}`) ? [doubled, { ...doubled, escape: "\\" }] : [doubled];
  });
}

/** The first lines as cells, quotes respected where they close. */
function splitTable(
  text: string,
  { delimiter, quote, escape, comment }: Marks,
): { table: string[][]; lines: number[]; unclosed: number } {
  let unclosed = 0;
  const table: string[][] = [];
  /** How many lines stand before each. */
  const lines: number[] = [];
  let p = 0;
  let line = 0;
  while (p < text.length && table.length < LOOKED_AT) {
    const row: string[] = [];
    const before = line;
    if (comment !== "" && text.startsWith(comment, p)) {
      const at = text.slice(p).search(/[\r\n]/);
      p = at < 0 ? text.length : p + at;
    } else {
      for (;;) {
        let cell: string;
        const quoted = quote !== "" && text[p] === quote;
        const close = quoted ? closing(text, p, quote, escape, delimiter) : -1;
        if (quoted && close < 0) unclosed++;
        if (close > 0) {
          cell = text.slice(p + 1, close).replaceAll(escape + quote, quote);
          line += cell.split("\n").length - 1;
          p = close + 1;
        } else {
          const from = p;
          while (p < text.length && text[p] !== "\n" && text[p] !== "\r" && !text.startsWith(delimiter, p)) p++;
          cell = text.slice(from, p);
        }
        row.push(cell);
        if (!text.startsWith(delimiter, p) || p >= text.length) break;
        p += delimiter.length;
      }
      if (row.length > 1 || row[0] !== "") {
        table.push(row);
        lines.push(before);
      }
    }
    if (text[p] === "\r") p++;
    if (text[p] === "\n") p++;
    line++;
  }
  return { table, lines, unclosed };
}

/** Where a quoted cell closes, or -1 when it does not before a delimiter or line end follows. */
function closing(text: string, from: number, quote: string, escape: string, delimiter: string): number {
  for (let p = from + 1; ; p++) {
    p = text.indexOf(quote, p);
    if (p < 0) return -1;
    if (escape === quote && text[p + 1] === quote) p++;
    else if (escape === quote || !isEscaped(text, p, from, escape)) {
      const next = text[p + 1];
      return next === undefined || next === "\n" || next === "\r" || text.startsWith(delimiter, p + 1) ? p : -1;
    }
  }
}

/** Whether an odd number of escapes stands before `p`, none of them before `from`. */
function isEscaped(text: string, p: number, from: number, escape: string): boolean {
  let n = 0;
  while (p - 1 - n > from && text[p - 1 - n] === escape) n++;
  return n % 2 === 1;
}

export function consistency(
  text: string,
  marks: Marks,
  skip: number | undefined,
  whole: boolean,
): Omit<Guess, keyof Marks> {
  const { delimiter } = marks;
  const { lines, unclosed, ...split } = splitTable(text, marks);
  let { table } = split;
  let before = 0;
  // The last line may be cut off by the end of the sample.
  if (!whole && table.length > 1 && table.length < LOOKED_AT) table.pop();
  if (skip !== undefined) {
    before = lines.findIndex((line) => line >= skip);
    table = before < 0 ? [] : table.slice(before);
  }
  const counts = new Map<number, number>();
  for (const row of table) counts.set(row.length, (counts.get(row.length) ?? 0) + 1);
  let width = table[0]?.length ?? 1;
  for (const [n, times] of counts) if (times > (counts.get(width) ?? 0)) width = n;
  let passed = 0;
  if (skip === undefined && (counts.get(width) ?? 0) >= 3) {
    // Titles before the table have a cell or two; a record that is cut short is no title.
    const mayBeTitle = (row: readonly string[], after: number): boolean =>
      row.filter((c) => c !== "").length <= width / 2 && isTitle(row, table.slice(after));
    while (passed < MOST_SKIPPED && passed < table.length && mayBeTitle(table[passed]!, passed + 1)) passed++;
    if (table[passed]?.length !== width) passed = 0;
    table = table.slice(passed);
    before = passed;
  }
  const lineOf = (row: number): number => lines[before + row] ?? row;
  if (width < 2 || table.length === 0) return { score: 0, why: "", skip: 0, table, lineOf, unclosed };
  const fit = table.filter((row) => row.length === width).length;
  const good = table.length === 1 ? 1 : fit / table.length;
  return {
    // A doubled bar is two bars too: of two that fit equally well, the one that leaves no empty cells between.
    score: good * good * Math.log2(1 + width) * (delimiter.length > 1 ? 1.5 : 1),
    why: `${fit} of the first ${table.length} lines have ${width} cells`,
    skip: passed > 0 ? lines[passed]! : 0,
    table,
    lineOf,
    unclosed,
  };
}
