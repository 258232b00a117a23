import { decodeText } from "./encoding/decode.ts";
import { encodingFor } from "./encoding/detect.ts";
import { counted } from "../kernel/problem.ts";
import { looksLikeBlocks } from "./blocks/format.ts";
import { columnStarts } from "./fixed/format.ts";
import { rowsBelow } from "./below.ts";
import { findHeader, isTitle } from "./header.ts";
import type { Doubt, Evidence, FormatId, ReadSettings } from "./part.ts";
import type { DelimitedOptions } from "./options.ts";

/** How many bytes of a file's beginning are looked at. */
export const DETECT_BYTES = 65_536;

const DELIMITERS = [",", ";", "\t", "|", "^", "~", "\u001f", "||", "::"];
/** Taken for delimiters only where every line says so. */
const RARE_DELIMITERS = [":", "¦", "#", "*", " "];
/** Lines of the beginning that delimiters are tried on. */
const LOOKED_AT = 400;
/** Lines before the header that are passed over without being told to. */
const MOST_SKIPPED = 30;

export interface Detected {
  readonly options: DelimitedOptions;
  readonly evidence: Evidence & { readonly encoding: string; readonly delimiter: string };
  readonly doubts: readonly Doubt[];
}

/**
 * Decides how to read a delimited file from its first bytes and what was set already.
 * @param head the first DETECT_BYTES of the file, or all of it
 * @param whole true when `head` is the whole file
 * Throws `not-text` for what is not text at all, and `encoding-unknown`.
 */
export function detectDelimited(head: Uint8Array, whole: boolean, settings: ReadSettings = {}): Detected {
  const found = encodingFor(head, whole, settings.encoding);
  const decoded = decodeText(head, found.encoding);
  const row = settings.row ?? rowMark(decoded, settings);
  const text = row === undefined ? decoded : asLines(decoded, row);
  const set = settings.delimiter && settings.delimiter !== "auto" ? settings.delimiter : null;
  let best: Guess = {
    delimiter: set ?? ",",
    quote: settings.quote ?? '"',
    escape: settings.escape ?? settings.quote ?? '"',
    score: -1,
    why: "no delimiter stands out, so a comma",
    skip: 0,
    table: [],
    lineOf: (row) => row,
    unclosed: 0,
  };
  const marks = marksToTry(text, settings);
  const look = (delimiters: readonly string[]): void => {
    for (const { quote, escape } of marks) {
      for (const delimiter of delimiters) {
        if (delimiter === quote || delimiter === row) continue;
        const tried = consistency(
          text,
          { delimiter, quote, escape, comment: settings.comment ?? "" },
          settings.skip,
          whole,
        );
        const better =
          tried.score > best.score || (tried.score === best.score && tried.unclosed < best.unclosed && tried.score > 0);
        if (better && (set || tried.score > 0)) best = { delimiter, quote, escape, ...tried };
      }
    }
  };
  look(set ? [set] : DELIMITERS);
  if (!set && best.score < 0) {
    // Words are a blank apart too, and times have colons: only lines that all have as many are cells, and never two.
    const before = best;
    for (const rare of RARE_DELIMITERS) {
      best = before;
      look([rare]);
      if (standsOut(rare, best.table)) break;
      best = before;
    }
  }
  if (best.table.length === 0) {
    // Of one column alone, or of none.
    const { delimiter, quote, escape } = best;
    const { table, lineOf } = consistency(
      text,
      { delimiter, quote, escape, comment: settings.comment ?? "" },
      settings.skip,
      whole,
    );
    best = { ...best, table, lineOf };
  }
  const names = findHeader(best.table, (row) => `line ${best.lineOf(row) + 1}`, {
    header: settings.header,
    first: settings.skip !== undefined,
  });
  const { header, doubt } = names;
  const below = rowsBelow(best.table, names, (row) => `line ${best.lineOf(row) + 1}`, settings);
  const skip = settings.skip ?? (names.row > 0 ? best.lineOf(names.row) : best.skip);
  return {
    options: {
      delimiter: best.delimiter,
      quote: best.quote,
      escape: best.escape,
      ...(row === undefined ? {} : { row }),
      header,
      skip,
      encoding: found.encoding,
      ...(settings.comment ? { comment: settings.comment } : {}),
      ...(below.rows > 0 || settings.below !== undefined ? { below: below.rows } : {}),
      ...(settings.skip_end ? { skip_end: settings.skip_end } : {}),
    },
    doubts: [doubt, below.doubt].filter((d) => d !== null),
    evidence: {
      encoding: found.why,
      delimiter: set ? "as set" : best.why,
      quote:
        settings.quote !== undefined
          ? "as set"
          : best.quote === "'"
            ? "cells that begin with it end with it, and with it more lines fit"
            : "the usual one",
      escape:
        settings.escape !== undefined
          ? "as set"
          : best.escape === best.quote
            ? "no cell needs a backslash before a quote"
            : "a backslash stands before quotes in cells",
      ...(row === undefined
        ? {}
        : {
            row:
              settings.row === undefined
                ? "what it parts has as many cells each time, and lines end nowhere else"
                : "as set",
          }),
      header: names.why,
      ...(below.why ? { below: below.why } : {}),
      skip:
        settings.skip !== undefined
          ? "as set"
          : skip > 0
            ? `${counted(skip, "line")} that ${skip === 1 ? "is" : "are"} no records stand${skip === 1 ? "s" : ""} before`
            : "the first line is as wide as the rest",
    },
  };
}

/** Marks that end records in files that have no lines: the record separator of ASCII, and those that people choose. */
const ROW_MARKS = ["\u001e", "~", "^", "|"];

/** A text whose records end with a mark, with line ends in the place of it. */
function asLines(text: string, mark: string): string {
  return text
    .split(mark)
    .map((record) => record.replace(/^[\r\n]+/, "").replace(/[\r\n]+/g, " "))
    .join("\n");
}

/**
 * The mark that ends records, where line ends do not: it comes three times at least, line ends stand nowhere but behind it,
 * and what stands between has as many cells, two at least, each time.
 */
function rowMark(text: string, settings: ReadSettings): string | undefined {
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

/** Whether a rare delimiter parts all lines into as many cells, and no times of day or addresses of a network. */
function standsOut(delimiter: string, table: readonly (readonly string[])[]): boolean {
  const width = table[0]?.length ?? 0;
  if (width < 3 || table.length < 3 || table.some((r) => r.length !== width)) return false;
  if (delimiter !== ":") return true;
  const times = table.filter((r) => /\d:[0-5]\d/.test(r.join(":"))).length;
  return times < table.length / 2 && table.some((r) => r.some((c) => c.length > 2));
}

/** What stands between cells and around them. */
interface Marks {
  readonly delimiter: string;
  readonly quote: string;
  readonly escape: string;
  readonly comment: string;
}

interface Guess extends Omit<Marks, "comment"> {
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
function marksToTry(text: string, settings: ReadSettings): Pick<Marks, "quote" | "escape">[] {
  const quotes =
    settings.quote !== undefined ? [settings.quote] : ['"', ...(/(^|[^\p{L}\p{N}])'/mu.test(text) ? ["'"] : [])];
  return quotes.flatMap((quote) => {
    if (settings.escape !== undefined) return [{ quote, escape: settings.escape }];
    const doubled = { quote, escape: quote };
    return quote !== "" && text.includes(`\\${quote}`) ? [doubled, { quote, escape: "\\" }] : [doubled];
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

function consistency(text: string, marks: Marks, skip: number | undefined, whole: boolean): Omit<Guess, keyof Marks> {
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

/** The format of a file that is text, from its beginning and its name. */
export function detectTextFormat(text: string, name: string): { as: FormatId; why: string } {
  const trimmed = text.replace(/^\ufeff/, "").trimStart();
  if (trimmed.startsWith("<") && /^<(\?xml|!--|!DOCTYPE|[\p{L}_])/iu.test(trimmed))
    return { as: "xml", why: "it begins with a tag" };
  if (trimmed.startsWith("{") || trimmed.startsWith("[")) {
    const [first = "", second = ""] = trimmed.split(/\r?\n/).filter((l) => l.trim() !== "");
    const alone = second === "" && /\[\s*\{/.test(first);
    const lone = second === "" && /\.json$/i.test(name);
    if (first.startsWith("{") && isJson(first) && !alone && !lone && (second === "" || second.startsWith("{"))) {
      return { as: "json-lines", why: "each line is a JSON document" };
    }
    if (first.startsWith("[") && second.startsWith("[") && isJson(first))
      return { as: "json-lines", why: "each line is a JSON document" };
    if (/^[[{]\s*(["\]}{[]|-?\d|true|false|null)/.test(trimmed)) return { as: "json", why: "it begins as JSON does" };
  }
  if (looksLikeBlocks(text)) return { as: "blocks", why: "lines of names and values, whose names come again" };
  if (/\.(txt|dat|fwf|prn)$/i.test(name) && looksFixed(text))
    return { as: "fixed", why: "columns stand at the same places in every line" };
  return { as: "delimited", why: "text in lines" };
}

function isJson(text: string): boolean {
  try {
    JSON.parse(text);
    return true;
  } catch {
    return false;
  }
}

/** Lines of about one length, with blanks at the same places, and no delimiter that fits. */
function looksFixed(text: string): boolean {
  const all = text.split(/\r?\n/).slice(0, 100);
  all.pop();
  const body = all.filter((l) => l.trim() !== "");
  if (body.length < 3) return false;
  const fits = DELIMITERS.some(
    (d) => consistency(text, { delimiter: d, quote: '"', escape: '"', comment: "" }, undefined, false).score > 1.2,
  );
  const blanks = body.filter((l) => /\S {1,}\S/.test(l)).length;
  // Without a run of blanks anywhere there is nothing that keeps columns in their places.
  const padded = body.some((l) => /\S {2,}\S/.test(l));
  return !fits && blanks === body.length && (padded || !areAsManyWords(body)) && columnStarts(body).length > 1;
}

/** Whether all lines have as many words, and more than two. */
function areAsManyWords(lines: readonly string[]): boolean {
  const words = lines.map((l) => l.split(" ").length);
  return words[0]! > 2 && words.every((n) => n === words[0]);
}
