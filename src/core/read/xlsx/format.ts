import { SaxesParser } from "saxes";
import type { Block } from "../../kernel/block.ts";
import { SieveError } from "../../kernel/problem.ts";
import { BlockBuilder } from "../builder.ts";
import { distinctNames } from "../delimited/reader.ts";
import { plainNumber } from "../documents.ts";
import { looksLikeNames } from "../fixed/format.ts";
import type { FormatPart, OpenContext, SourceFile } from "../part.ts";
import { zipEntry, zipNames } from "../unpack.ts";

/** Rows of a sheet that are looked at to find the one that names the columns. */
const LOOKED_AT = 40;

const broken = (name: string, detail: string): SieveError =>
  new SieveError("xlsx-broken", `The workbook ${name} is damaged or not a workbook.`, {
    detail,
    hint: "Open it in the program that made it, save it again, and send that.",
  });

interface Workbook {
  readonly sheets: readonly { readonly name: string; readonly entry: string }[];
  readonly strings: readonly string[];
  /** By style: its numbers are dates. */
  readonly dates: readonly boolean[];
  readonly from1904: boolean;
}

/** Office Open XML workbooks (ECMA-376): sheets read row by row, dates and numbers as what they are. */
export const xlsx: FormatPart = {
  id: "xlsx",
  async *open(source, settings, context) {
    const workbook = await readWorkbook(source);
    const wanted = settings.sheets ?? [];
    for (const name of wanted) {
      if (!workbook.sheets.some((s) => s.name === name)) {
        throw new SieveError("no-sheet", `${source.name} has no sheet “${name}”.`, {
          detail: `Its sheets: ${workbook.sheets.map((s) => s.name).join(", ")}.`,
          hint: "Choose one of them.",
        });
      }
    }
    let any = false;
    for (const sheet of workbook.sheets) {
      if (settings.sheets ? !wanted.includes(sheet.name) : any) continue;
      const first: Row[] = [];
      for await (const rows of sheetRows(source, sheet.entry, workbook)) {
        first.push(...rows);
        if (first.length >= LOOKED_AT) break;
      }
      // A sheet of one line is a title page, unless there is nothing else.
      const isTable = first.length > 1 || (first.length === 1 && sheet === workbook.sheets.at(-1));
      if (!settings.sheets && !isTable) continue;
      any = true;
      const { header, skip, columns, why } = findHeader(first, settings.header, settings.skip);
      yield {
        name: `${source.name}: ${sheet.name}`,
        options: { as: "xlsx", sheets: [sheet.name], header, skip },
        evidence: { sheets: settings.sheets ? "as set" : "the first sheet with records", header: why },
        others: { sheets: workbook.sheets.map((s) => s.name) },
        columns: () => columns,
        blocks: readSheet(source, sheet.entry, workbook, context, columns.length, header, skip),
        resumable: false,
      };
    }
    if (!any)
      throw new SieveError("nothing-read", `No sheet of ${source.name} has records.`, {
        hint: "Check that it is the right workbook.",
      });
  },
};

interface Row {
  readonly number: number;
  readonly cells: (string | undefined)[];
  /** The first cell that holds an error, such as #N/A. */
  readonly error: boolean;
}

/** Which row names the columns: the first that is as wide as the table and looks like names. */
function findHeader(
  rows: readonly Row[],
  header: boolean | undefined,
  skip: number | undefined,
): { header: boolean; skip: number; columns: string[]; why: string } {
  const filled = (r: Row): number => r.cells.filter((c) => c !== undefined && c !== "").length;
  const width = Math.max(0, ...rows.map((r) => r.cells.length));
  const usual = Math.max(1, ...rows.map(filled));
  let at = 0;
  if (skip !== undefined) at = rows.findIndex((r) => r.number > skip);
  else while (at < rows.length - 1 && filled(rows[at]!) < usual * 0.6) at++;
  at = Math.max(0, at);
  const text = (r: Row | undefined): string[] => Array.from({ length: width }, (_, c) => r?.cells[c] ?? "");
  const named = header ?? looksLikeNames(text(rows[at]), rows.slice(at + 1).map(text));
  const found = skip ?? (rows[at]?.number ?? 1) - 1;
  const why =
    header !== undefined
      ? "as set"
      : named
        ? `row ${found + 1} is as wide as the table and is names`
        : "no row is names";
  const columns = named ? distinctNames(text(rows[at])) : text(undefined).map((_, i) => String(i + 1));
  return { header: named, skip: found, columns, why };
}

async function* readSheet(
  source: SourceFile,
  entry: string,
  workbook: Workbook,
  context: OpenContext,
  width: number,
  header: boolean,
  skip: number,
): AsyncGenerator<Block> {
  const builder = new BlockBuilder(context.part);
  let names = header;
  for await (const rows of sheetRows(source, entry, workbook)) {
    for (const row of rows) {
      if (row.number <= skip) continue;
      if (names) {
        names = false;
        continue;
      }
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

/** Rows of a sheet that have anything in them, some at a time. */
async function* sheetRows(source: SourceFile, entry: string, workbook: Workbook): AsyncGenerator<Row[]> {
  let rows: Row[] = [];
  let cells: (string | undefined)[] = [];
  let error = false;
  let any = false;
  let number = 0;
  let column = 0;
  let type = "n";
  let style = 0;
  let text: string | null = null;
  let value: string | undefined;
  const handle = {
    open(name: string, attribute: (name: string) => string | undefined): void {
      switch (name) {
        case "row":
          number = Number(attribute("r") ?? number + 1);
          cells = [];
          error = any = false;
          column = -1;
          break;
        case "c": {
          const at = attribute("r");
          column = at ? columnOf(at) : column + 1;
          type = attribute("t") ?? "n";
          style = Number(attribute("s") ?? 0);
          value = undefined;
          break;
        }
        case "v":
        case "t":
          text = "";
          break;
        // Readings of Japanese text beside the text itself.
        case "rPh":
          text = null;
      }
    },
    text(more: string): void {
      if (text !== null) text += more;
    },
    close(name: string): void {
      switch (name) {
        case "v":
          value = text ?? undefined;
          text = null;
          break;
        case "t":
          if (text !== null) value = (value ?? "") + text;
          text = null;
          break;
        case "c": {
          if (value === undefined || column < 0 || column > 16_383) break;
          const shown = cellText(value, type, style, workbook);
          if (type === "e") error = true;
          if (shown !== "") any = true;
          while (cells.length < column) cells.push(undefined);
          cells[column] = shown;
          break;
        }
        case "row":
          if (any) rows.push({ number, cells, error });
      }
    },
  };
  for await (const _ of parseEntry(source, entry, handle)) {
    if (rows.length === 0) continue;
    yield rows;
    rows = [];
  }
  if (rows.length > 0) yield rows;
}

/** “BC12” is column 54, counted from 0. */
function columnOf(reference: string): number {
  let n = 0;
  for (let i = 0; i < reference.length; i++) {
    const c = reference.charCodeAt(i);
    if (c < 65 || c > 90) break;
    n = n * 26 + c - 64;
  }
  return n - 1;
}

function cellText(value: string, type: string, style: number, workbook: Workbook): string {
  switch (type) {
    case "s":
      return workbook.strings[Number(value)] ?? "";
    case "b":
      return value === "1" ? "true" : "false";
    case "n": {
      const n = Number(value);
      if (value.trim() === "" || Number.isNaN(n)) return value;
      if (workbook.dates[style]) return serialText(n, workbook.from1904);
      // A workbook's numbers are doubles of which it shows 15 digits; 0.1 + 0.2 is 0.3 to its reader.
      return plainNumber(String(Number(n.toPrecision(15))));
    }
    default:
      return value;
  }
}

/**
 * A day number of a workbook as a date, a time of day, or both. In the 1900 system day 60 is a 29
 * February that never was, and day 0 no day: both are given as workbooks show them, so that they are
 * held and not taken for another day.
 */
export function serialText(serial: number, from1904: boolean): string {
  const seconds = Math.round(serial * 86_400);
  const days = Math.floor(seconds / 86_400);
  const rest = seconds - days * 86_400;
  const epoch = from1904 ? Date.UTC(1904, 0, 1) : Date.UTC(1899, 11, days < 60 ? 31 : 30);
  const at = new Date(epoch + days * 86_400_000 + rest * 1000);
  if (Number.isNaN(at.getTime())) return String(serial);
  const iso = at.toISOString();
  if (days === 0 && !from1904) return rest > 0 ? iso.slice(11, 19) : "1900-01-00";
  const day = days === 60 && !from1904 ? "1900-02-29" : iso.slice(0, 10);
  return rest === 0 ? day : `${day} ${iso.slice(11, 19)}`;
}

async function readWorkbook(source: SourceFile): Promise<Workbook> {
  const names = new Set(await zipNames(source));
  const find = (path: string): string | undefined =>
    names.has(path) ? path : [...names].find((n) => n.toLowerCase() === path.toLowerCase());
  const book = find("xl/workbook.xml");
  if (!book) throw broken(source.name, "It has no xl/workbook.xml.");

  const targets = new Map<string, string>();
  const rels = find("xl/_rels/workbook.xml.rels");
  if (rels) {
    await parseWhole(source, rels, {
      open(name, attribute) {
        if (name !== "Relationship") return;
        const target = attribute("Target") ?? "";
        targets.set(attribute("Id") ?? "", target.startsWith("/") ? target.slice(1) : `xl/${target}`);
      },
    });
  }
  const sheets: { name: string; entry: string }[] = [];
  let from1904 = false;
  await parseWhole(source, book, {
    open(name, attribute) {
      if (name === "workbookPr") from1904 = ["1", "true"].includes(attribute("date1904") ?? "");
      if (name !== "sheet") return;
      const entry = find(targets.get(attribute("r:id") ?? attribute("id") ?? "") ?? "");
      if (entry) sheets.push({ name: attribute("name") ?? entry, entry });
    },
  });
  if (sheets.length === 0) throw broken(source.name, "It has no sheets.");

  const strings: string[] = [];
  const shared = find("xl/sharedStrings.xml");
  if (shared) {
    let text = "";
    let inText = false;
    let reading = false;
    await parseWhole(source, shared, {
      open(name) {
        if (name === "si") text = "";
        if (name === "rPh") reading = true;
        if (name === "t") inText = !reading;
      },
      text(more) {
        if (inText) text += more;
      },
      close(name) {
        if (name === "t") inText = false;
        if (name === "rPh") reading = false;
        if (name === "si") strings.push(text);
      },
    });
  }

  const dates: boolean[] = [];
  const styles = find("xl/styles.xml");
  if (styles) {
    const custom = new Map<number, string>();
    let inCells = false;
    await parseWhole(source, styles, {
      open(name, attribute) {
        if (name === "numFmt") custom.set(Number(attribute("numFmtId")), attribute("formatCode") ?? "");
        if (name === "cellXfs") inCells = true;
        if (name === "xf" && inCells) dates.push(isDateFormat(Number(attribute("numFmtId") ?? 0), custom));
      },
      close(name) {
        if (name === "cellXfs") inCells = false;
      },
    });
  }
  return { sheets, strings, dates, from1904 };
}

function isDateFormat(id: number, custom: ReadonlyMap<number, string>): boolean {
  const code = custom.get(id);
  if (code === undefined)
    return (id >= 14 && id <= 22) || (id >= 27 && id <= 36) || (id >= 45 && id <= 47) || (id >= 50 && id <= 58);
  const bare = code
    .replace(/"[^"]*"|\\.|_.|\*./g, "")
    .replace(/\[(?!h|m|s)[^\]]*\]/gi, "")
    .split(";")[0]!;
  return /[dmyhs]/i.test(bare) && !/general/i.test(bare);
}

interface Handlers {
  open?(name: string, attribute: (name: string) => string | undefined): void;
  text?(text: string): void;
  close?(name: string): void;
}

async function parseWhole(source: SourceFile, entry: string, handlers: Handlers): Promise<void> {
  for await (const _ of parseEntry(source, entry, handlers));
}

/** Parses an entry of the workbook; yields after each piece, so that what was found can be used. */
async function* parseEntry(source: SourceFile, entry: string, handlers: Handlers): AsyncGenerator<void> {
  const parser = new SaxesParser({ position: false });
  let fault: Error | null = null;
  parser.on("error", (error) => {
    fault ??= error;
  });
  const local = (name: string): string => name.slice(name.indexOf(":") + 1);
  parser.on("opentag", (tag) => {
    const attributes = tag.attributes as Record<string, string>;
    handlers.open?.(local(tag.name), (name) => attributes[name]);
  });
  if (handlers.text) {
    parser.on("text", (t) => handlers.text!(t));
    parser.on("cdata", (t) => handlers.text!(t));
  }
  if (handlers.close) parser.on("closetag", (tag) => handlers.close!(local(tag.name)));
  const decoder = new TextDecoder();
  for await (const chunk of zipEntry(source, entry).chunks()) {
    parser.write(decoder.decode(chunk, { stream: true }));
    yield;
    if (fault) throw broken(source.name, `${entry}: ${(fault as Error).message}`);
  }
  parser.close();
  if (fault) throw broken(source.name, `${entry}: ${(fault as Error).message}`);
}
