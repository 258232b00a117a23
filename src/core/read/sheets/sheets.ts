import type { Block } from "../../kernel/block.ts";
import { SieveError, counted, listed } from "../../kernel/problem.ts";
import { BlockBuilder } from "../builder.ts";
import { distinctNames } from "../delimited/columns.ts";
import { rowsBelow, type Below } from "../below.ts";
import { findHeader } from "../header.ts";
import type { Doubt, OpenContext, Opened } from "../part.ts";
import type { ReadSettings } from "../settings.ts";

/** Rows of a sheet that are looked at to find the one that names the columns, and how many columns there are. */
const LOOKED_AT = 1_000;

/** A row of a sheet that has anything in it. */
export interface Row {
  readonly number: number;
  readonly cells: (string | undefined)[];
  /** A cell holds an error, such as #N/A, or a formula that nobody has worked out. */
  readonly error: boolean;
  /** The sheet does not show it. */
  readonly hidden: boolean;
  /** A number in it is shown with leading zeros. */
  readonly padded: boolean;
}

/** Cells that are merged into one: rows from 1 and columns from 0, both ends included. */
export interface MergedCells {
  readonly top: number;
  readonly bottom: number;
  readonly left: number;
  readonly right: number;
}

/** A sheet of a workbook, of whichever format. */
export interface Sheet {
  readonly name: string;
  readonly hidden: boolean;
  /** Its rows, some at a time; may be asked for more than once. */
  rows(): AsyncIterable<readonly Row[]>;
  merged(): Promise<readonly MergedCells[]>;
}

/**
 * Opens those sheets of a workbook that are wanted: those that are named, or the first that has records and is shown.
 * Throws `no-sheet` and `nothing-read`.
 */
export async function* openSheets(
  as: string,
  file: string,
  sheets: readonly Sheet[],
  settings: ReadSettings,
  context: OpenContext,
): AsyncGenerator<Opened> {
  const hidden = sheets.filter((s) => s.hidden);
  // What is shown comes first: what is hidden may be an older state, or a list for choosing from.
  const order = settings.sheets
    ? namedSheets(file, sheets, settings.sheets)
    : [...sheets.filter((s) => !s.hidden), ...hidden];
  let any = false;
  for (const sheet of order) {
    if (!settings.sheets && any) break;
    const merged = settings.fill_merged ? await sheet.merged() : [];
    const rows = (): AsyncIterable<readonly Row[]> =>
      merged.length > 0 ? withMerged(sheet.rows(), merged) : sheet.rows();
    const first: Row[] = [];
    for await (const some of rows()) {
      // Never more, however many come at a time: the same file has the same columns wherever it is read from.
      first.push(...some.slice(0, LOOKED_AT - first.length));
      if (first.length >= LOOKED_AT) break;
    }
    // A sheet of one line is a title page, unless there is nothing else.
    const isTable = first.length > 1 || (first.length === 1 && sheet === order.at(-1));
    if (!settings.sheets && !isTable) continue;
    any = true;
    const why = settings.sheets
      ? "as set"
      : sheet.hidden
        ? "a hidden sheet, as no other has records"
        : `the first sheet with records${hidden.length > 0 ? `; hidden: ${listed(hidden.map((s) => s.name))}` : ""}`;
    const others = { sheets: sheets.map((s) => s.name) };
    yield {
      name: `${file}: ${sheet.name}`,
      others,
      ...openedSheet({ as, sheet, why, first, rows }, settings, context),
    };
  }
  if (!any)
    throw new SieveError("nothing-read", `No sheet of ${file} has records.`, {
      hint: "Check that it is the right workbook.",
    });
}

/** The sheets of some names, in the order of the workbook. Throws `no-sheet`. */
function namedSheets(file: string, sheets: readonly Sheet[], wanted: readonly string[]): Sheet[] {
  for (const name of wanted) {
    if (!sheets.some((s) => s.name === name)) {
      throw new SieveError("no-sheet", `${file} has no sheet “${name}”.`, {
        detail: `Its sheets: ${sheets.map((s) => s.name).join(", ")}.`,
        hint: "Choose one of them.",
      });
    }
  }
  return sheets.filter((s) => wanted.includes(s.name));
}

/** A sheet that is to be read: why it is, its first rows, and all of them. */
interface ChosenSheet {
  readonly as: string;
  readonly sheet: Sheet;
  readonly why: string;
  readonly first: readonly Row[];
  rows(): AsyncIterable<readonly Row[]>;
}

/** A sheet as a part of a delivery, with what its first rows say of it. */
function openedSheet(
  { as, sheet, why: sheetsWhy, first, rows }: ChosenSheet,
  settings: ReadSettings,
  context: OpenContext,
): Omit<Opened, "name" | "others"> {
  const { header, skip, below, columns, why, doubt } = columnsOf(first, settings);
  const unseen = first.filter((r) => r.hidden).length;
  const padded = first.some((r) => r.padded);
  return {
    options: {
      as,
      sheets: [sheet.name],
      header,
      skip,
      ...(below.rows > 0 || settings.below !== undefined ? { below: below.rows } : {}),
      ...(settings.skip_end ? { skip_end: settings.skip_end } : {}),
      ...(settings.as_shown === undefined ? {} : { as_shown: settings.as_shown }),
      ...(settings.fill_merged === undefined ? {} : { fill_merged: settings.fill_merged }),
    },
    evidence: {
      sheets: sheetsWhy,
      header: why,
      ...(below.why ? { below: below.why } : {}),
      ...(unseen > 0
        ? { skip: `${counted(unseen, "row")} of the first ${first.length} are hidden, and read as well` }
        : {}),
      ...(padded ? { as_shown: "its numbers are shown with leading zeros, so they may be codes" } : {}),
    },
    ...(doubt || below.doubt ? { doubts: [doubt, below.doubt].filter((d) => d !== null) } : {}),
    columns: () => columns,
    blocks: readSheet(rows(), context, columns.length, header, {
      skip,
      below: below.rows,
      skipEnd: settings.skip_end ?? 0,
    }),
    resumable: false,
  };
}

/** Rows in which merged cells all have what the first of them has. */
async function* withMerged(
  rows: AsyncIterable<readonly Row[]>,
  merged: readonly MergedCells[],
): AsyncGenerator<readonly Row[]> {
  const waiting = [...merged].sort((a, b) => b.top - a.top);
  let open: { range: MergedCells; value: string | undefined }[] = [];
  for await (const some of rows) {
    for (const row of some) {
      open = open.filter(({ range }) => range.bottom >= row.number);
      while (waiting.length > 0 && waiting.at(-1)!.top <= row.number) {
        const range = waiting.pop()!;
        // Its first row is not in the file where nothing is in it.
        open.push({ range, value: range.top === row.number ? row.cells[range.left] : undefined });
      }
      for (const { range, value } of open) {
        for (let c = range.left; value !== undefined && c <= range.right; c++) {
          while (row.cells.length < c) row.cells.push(undefined);
          row.cells[c] ??= value;
        }
      }
    }
    yield some;
  }
}

/** Which row names the columns, and the columns' names. */
function columnsOf(
  rows: readonly Row[],
  settings: ReadSettings,
): { header: boolean; skip: number; below: Below; columns: string[]; why: string; doubt: Doubt | null } {
  const { header, skip } = settings;
  const body = skip === undefined ? rows : rows.filter((r) => r.number > skip);
  const width = Math.max(0, ...body.map((r) => r.cells.length));
  const texts = body.map((r) => Array.from({ length: width }, (_, c) => r.cells[c] ?? ""));
  const number = (row: number): number => body[row]?.number ?? 1;
  const found = findHeader(texts, (row) => `row ${number(row)}`, { header, first: skip !== undefined });
  const columns = found.header
    ? distinctNames(texts[found.row] ?? [])
    : Array.from({ length: width }, (_, i) => String(i + 1));
  const below = rowsBelow(texts, found, (row) => `row ${number(row)}`, settings);
  return { ...found, skip: skip ?? number(found.row) - 1, below, columns };
}

async function* readSheet(
  rows: AsyncIterable<readonly Row[]>,
  context: OpenContext,
  width: number,
  header: boolean,
  { skip, below, skipEnd }: { skip: number; below: number; skipEnd: number },
): AsyncGenerator<Block> {
  const builder = new BlockBuilder(context.part);
  /** Rows of the heading: the names, and what stands below them. */
  let heading = header ? 1 + below : 0;
  /** Rows that may be the last ones, which are no records. */
  const kept: Row[] = [];
  for await (const some of rows) {
    for (const next of some) {
      if (next.number <= skip) continue;
      if (heading > 0) {
        heading--;
        continue;
      }
      kept.push(next);
      if (kept.length <= skipEnd) continue;
      const row = kept.shift()!;
      if (builder.full) yield builder.take()!;
      const place = { line: row.number, start: 0, end: 0 };
      const raw = row.cells.map((c) => c ?? "").join("\t");
      const beyond = row.cells.slice(width).filter((c) => c !== undefined && c !== "").length;
      if (row.error) builder.addUnreadable({ reason: "cell-error", cells: 0 }, width, place, raw);
      else if (beyond > 0)
        builder.addUnreadable({ reason: "too-many-cells", cells: width + beyond }, width, place, raw);
      else builder.add(row.cells, width, place, raw);
    }
  }
  const last = builder.take();
  if (last) yield last;
}
