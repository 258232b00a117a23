import { SieveError } from "../../kernel/problem.ts";
import { withoutExponent } from "../../type/exponent.ts";
import type { Reader, SourceFile } from "../part.ts";
import { openSheets, type MergedCells, type Row } from "../sheets/sheets.ts";
import { parseEntry, parseWhole as parseAll, type Handlers } from "../sheets/xml.ts";
import { zipNames } from "../unpack.ts";

const broken = (name: string, detail: string): SieveError =>
  new SieveError("xlsx-broken", `The workbook ${name} is damaged or not a workbook.`, {
    detail,
    hint: "Open it in the program that made it, save it again, and send that.",
  });

const parseWhole = (source: SourceFile, entry: string, handlers: Handlers): Promise<void> =>
  parseAll(source, entry, handlers, (detail) => broken(source.name, detail));

interface Workbook {
  readonly sheets: readonly { readonly name: string; readonly entry: string; readonly hidden: boolean }[];
  readonly strings: readonly string[];
  /** By style, how its numbers are shown where that is not as numbers. */
  readonly shown: readonly Shown[];
  readonly from1904: boolean;
}

/** Office Open XML workbooks (ECMA-376): sheets read row by row, dates and numbers as what they are. */
export const reader: Reader = {
  async *open(source, settings, context) {
    const workbook = await readWorkbook(source);
    yield* openSheets(
      "xlsx",
      source.name,
      workbook.sheets.map(({ name, entry, hidden }) => ({
        name,
        hidden,
        rows: () => sheetRows(source, entry, workbook, settings.as_shown ?? true),
        merged: () => mergedCells(source, entry),
      })),
      settings,
      context,
    );
  },
};

/** Rows of a sheet that have anything in them, some at a time. */
async function* sheetRows(
  source: SourceFile,
  entry: string,
  workbook: Workbook,
  asShown: boolean,
): AsyncGenerator<Row[]> {
  let rows: Row[] = [];
  let cells: (string | undefined)[] = [];
  let error = false;
  let any = false;
  let hidden = false;
  let padded = false;
  let formula: string | null = null;
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
          error = any = padded = false;
          hidden = ["1", "true"].includes(attribute("hidden") ?? "");
          column = -1;
          break;
        case "c": {
          const at = attribute("r");
          column = at ? columnOf(at) : column + 1;
          type = attribute("t") ?? "n";
          style = Number(attribute("s") ?? 0);
          value = undefined;
          formula = null;
          break;
        }
        case "v":
        case "t":
        case "f":
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
        case "f":
          formula = text ?? "";
          text = null;
          break;
        case "t":
          if (text !== null) value = (value ?? "") + text;
          text = null;
          break;
        case "c": {
          if (column < 0 || column > 16_383) break;
          // Nobody has worked it out: what it would be is not in the file.
          const missing = value === undefined && formula !== null;
          if (value === undefined && !missing) break;
          const shown = missing ? `=${formula}` : cellText(value!, type, style, workbook, asShown);
          if (type === "e" || missing) error = true;
          if (workbook.shown[style]?.kind === "padded") padded = true;
          if (shown !== "") any = true;
          while (cells.length < column) cells.push(undefined);
          cells[column] = shown;
          break;
        }
        case "row":
          if (any) rows.push({ number, cells, error, hidden, padded });
      }
    },
  };
  for await (const _ of parseEntry(source, entry, handle, (detail) => broken(source.name, detail))) {
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

function cellText(value: string, type: string, style: number, workbook: Workbook, asShown: boolean): string {
  switch (type) {
    case "s":
      return workbook.strings[Number(value)] ?? "";
    case "b":
      return value === "1" ? "true" : "false";
    case "n": {
      const n = Number(value);
      if (value.trim() === "" || Number.isNaN(n)) return value;
      const shown = workbook.shown[style];
      if (shown?.kind === "date") return serialText(n, workbook.from1904);
      if (shown?.kind === "elapsed") return elapsedText(n);
      if (shown?.kind === "padded" && asShown && Number.isInteger(n) && n >= 0) return paddedText(n, shown.code);
      // Whole numbers have all their digits in the file, also those that a double does not hold.
      if (Number.isInteger(n)) return withoutExponent(value.trim());
      // A workbook's numbers are doubles of which it shows 15 digits; 0.1 + 0.2 is 0.3 to its reader.
      return withoutExponent(String(Number(n.toPrecision(15))));
    }
    case "d":
      return value;
    default:
      return unescaped(value);
  }
}

/** Characters that XML can't have stand as `_x000D_` there, and an underscore that could be taken for one as `_x005F_`. */
function unescaped(text: string): string {
  if (!text.includes("_x")) return text;
  return text.replace(/_x([0-9A-Fa-f]{4})_/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16)));
}

/** How numbers of a style are shown: as days and times, as a time that has passed, or with leading zeros. */
type Shown =
  | { readonly kind: "number" | "date" | "elapsed" }
  | { readonly kind: "padded"; /** Zeros, and what stands between them. */ readonly code: string };

/** A span of time in days as hours, minutes and seconds, however many hours. */
export function elapsedText(days: number): string {
  const seconds = Math.round(Math.abs(days) * 86_400);
  const two = (n: number): string => String(n).padStart(2, "0");
  const [h, m, s] = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60];
  return `${days < 0 ? "-" : ""}${two(h)}:${two(m)}:${two(s)}`;
}

/** Digits put to the zeros of a code from the right; what is left of them before the first. */
function paddedText(n: number, code: string): string {
  let digits = withoutExponent(String(n));
  let text = "";
  for (const c of [...code].reverse()) {
    if (c !== "0") text = c + text;
    else {
      text = (digits.at(-1) ?? "0") + text;
      digits = digits.slice(0, -1);
    }
  }
  return digits + text;
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
  const sheets: { name: string; entry: string; hidden: boolean }[] = [];
  let from1904 = false;
  await parseWhole(source, book, {
    open(name, attribute) {
      // An extension has an element of that name too, which says nothing of it.
      if (name === "workbookPr") from1904 ||= ["1", "true"].includes(attribute("date1904") ?? "");
      if (name !== "sheet") return;
      const entry = find(targets.get(attribute("r:id") ?? attribute("id") ?? "") ?? "");
      const hidden = ["hidden", "veryHidden"].includes(attribute("state") ?? "");
      if (entry) sheets.push({ name: attribute("name") ?? entry, entry, hidden });
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
        if (name === "si") strings.push(unescaped(text));
      },
    });
  }

  const shown: Shown[] = [];
  const styles = find("xl/styles.xml");
  if (styles) {
    const custom = new Map<number, string>();
    let inCells = false;
    await parseWhole(source, styles, {
      open(name, attribute) {
        if (name === "numFmt") custom.set(Number(attribute("numFmtId")), attribute("formatCode") ?? "");
        if (name === "cellXfs") inCells = true;
        if (name === "xf" && inCells) shown.push(shownBy(Number(attribute("numFmtId") ?? 0), custom));
      },
      close(name) {
        if (name === "cellXfs") inCells = false;
      },
    });
  }
  return { sheets, strings, shown, from1904 };
}

/** The formats that have a number and no code: [h]:mm:ss is the one of a time that has passed. */
const ELAPSED = 46;

function shownBy(id: number, custom: ReadonlyMap<number, string>): Shown {
  const code = custom.get(id);
  if (code === undefined) {
    if (id === ELAPSED) return { kind: "elapsed" };
    const isDate = (id >= 14 && id <= 22) || (id >= 27 && id <= 36) || (id >= 45 && id <= 47) || (id >= 50 && id <= 58);
    return { kind: isDate ? "date" : "number" };
  }
  const [first = ""] = code.replace(/_.|\*./g, "").split(";");
  const literal = first.replace(/"([^"]*)"|\\(.)/g, "$1$2");
  if (/^[0 ()/-]*$/.test(literal) && /0.*0/.test(literal)) return { kind: "padded", code: literal };
  const bare = first.replace(/"[^"]*"|\\./g, "");
  if (/\[[hms]+\]/i.test(bare)) return { kind: "elapsed" };
  const letters = bare.replace(/\[[^\]]*\]/g, "");
  return { kind: /[dmyhs]/i.test(letters) && !/general/i.test(letters) ? "date" : "number" };
}

/** Where cells of a sheet are merged into one. */
async function mergedCells(source: SourceFile, entry: string): Promise<MergedCells[]> {
  const found: MergedCells[] = [];
  await parseWhole(source, entry, {
    open(name, attribute) {
      if (name !== "mergeCell") return;
      const [from = "", to = from] = (attribute("ref") ?? "").split(":");
      const row = (reference: string): number => Number(reference.replace(/^[A-Z]+/, ""));
      found.push({ top: row(from), bottom: row(to), left: columnOf(from), right: columnOf(to) });
    },
  });
  return found;
}
