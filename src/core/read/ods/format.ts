import { SieveError } from "../../kernel/problem.ts";
import { withoutExponent } from "../../type/exponent.ts";
import type { Reader, SourceFile } from "../part.ts";
import { openSheets, type MergedCells, type Row } from "../sheets/sheets.ts";
import { parseEntry, parseWhole, type Handlers } from "../sheets/xml.ts";

const CONTENT = "content.xml";
/** Rows and columns that a sheet can have; what a file repeats beyond that is believed no further. */
const MOST_ROWS = 1_048_576;
const MOST_COLUMNS = 16_384;
/** Rows that are given at a time where one is repeated. */
const TOGETHER = 1000;

const broken = (name: string, detail: string): SieveError =>
  new SieveError("ods-broken", `The spreadsheet ${name} is damaged or not an OpenDocument one.`, {
    detail,
    hint: "Open it in the program that made it, save it again, and send that.",
  });

/** OpenDocument spreadsheets (ISO/IEC 26300): sheets read row by row, numbers, days and times by their values and not as shown. */
export const reader: Reader = {
  async *open(source, settings, context) {
    const sheets = await listSheets(source);
    yield* openSheets(
      "ods",
      source.name,
      sheets.map(({ name, hidden, merged }, i) => ({
        name,
        hidden,
        rows: () => sheetRows(source, i, settings.as_shown ?? true),
        merged: () => Promise.resolve(merged),
      })),
      settings,
      context,
    );
  },
};

interface Found {
  readonly name: string;
  readonly hidden: boolean;
  readonly merged: MergedCells[];
}

const repeats = (attribute: (name: string) => string | undefined, name: string, most: number): number =>
  Math.min(most, Math.max(1, Number(attribute(name) ?? 1) || 1));

async function listSheets(source: SourceFile): Promise<Found[]> {
  const found: Found[] = [];
  const hiddenStyles = new Set<string>();
  let style = "";
  let row = 0;
  let column = 0;
  let times = 1;
  const handlers: Handlers = {
    open(name, attribute) {
      switch (name) {
        case "style":
          style = attribute("style:name") ?? "";
          break;
        case "table-properties":
          if (attribute("table:display") === "false") hiddenStyles.add(style);
          break;
        case "table": {
          const hidden = hiddenStyles.has(attribute("table:style-name") ?? "");
          found.push({ name: attribute("table:name") ?? `Sheet ${found.length + 1}`, hidden, merged: [] });
          row = 1;
          break;
        }
        case "table-row":
          column = 0;
          times = repeats(attribute, "table:number-rows-repeated", MOST_ROWS);
          break;
        case "table-cell":
        case "covered-table-cell": {
          const across = repeats(attribute, "table:number-columns-spanned", MOST_COLUMNS);
          const down = repeats(attribute, "table:number-rows-spanned", MOST_ROWS);
          if (across > 1 || down > 1) {
            found.at(-1)?.merged.push({ top: row, bottom: row + down - 1, left: column, right: column + across - 1 });
          }
          column += repeats(attribute, "table:number-columns-repeated", MOST_COLUMNS);
        }
      }
    },
    close(name) {
      if (name === "table-row") row += times;
    },
  };
  await parseWhole(source, CONTENT, handlers, (detail) => broken(source.name, detail));
  if (found.length === 0) throw broken(source.name, "It has no sheets.");
  return found;
}

/** Rows of a sheet that have anything in them, some at a time. */
async function* sheetRows(source: SourceFile, index: number, asShown: boolean): AsyncGenerator<Row[]> {
  let sheet = -1;
  let number = 0;
  let row: { cells: (string | undefined)[]; hidden: boolean; error: boolean; padded: boolean; times: number } | null =
    null;
  let cell: { value: string | undefined; text: string | null; error: boolean; times: number } | null = null;
  let paragraphs = 0;
  let inText = 0;
  let beside = 0;
  let ready: { row: Row; times: number }[] = [];
  const handlers: Handlers = {
    open(name, attribute) {
      if (name === "table") {
        sheet++;
        number = 0;
      }
      if (sheet !== index) return;
      switch (name) {
        case "table-row":
          row = {
            cells: [],
            hidden: ["collapse", "filter"].includes(attribute("table:visibility") ?? ""),
            error: false,
            padded: false,
            times: repeats(attribute, "table:number-rows-repeated", MOST_ROWS),
          };
          break;
        case "table-cell":
        case "covered-table-cell":
          cell = {
            value: valueOf(attribute),
            text: null,
            error: attribute("calcext:value-type") === "error",
            times: repeats(attribute, "table:number-columns-repeated", MOST_COLUMNS),
          };
          paragraphs = 0;
          break;
        case "annotation":
          beside++;
          break;
        case "p":
          inText++;
          if (cell && beside === 0) cell.text = paragraphs++ === 0 ? "" : `${cell.text}\n`;
          break;
        case "s":
          if (typeof cell?.text === "string" && beside === 0)
            cell.text += " ".repeat(repeats(attribute, "text:c", 1000));
          break;
        case "tab":
          if (typeof cell?.text === "string" && beside === 0) cell.text += "\t";
          break;
        case "line-break":
          if (typeof cell?.text === "string" && beside === 0) cell.text += "\n";
      }
    },
    text(more) {
      if (typeof cell?.text === "string" && inText > 0 && beside === 0) cell.text += more;
    },
    close(name) {
      if (sheet !== index) return;
      switch (name) {
        case "annotation":
          beside--;
          break;
        case "p":
          inText--;
          break;
        case "table-cell":
        case "covered-table-cell": {
          if (!row || !cell) break;
          const padded = cell.value !== undefined && isPadded(cell.value, cell.text);
          const shown = padded && asShown ? cell.text! : (cell.value ?? cell.text ?? undefined);
          if (cell.error) row.error = true;
          if (padded) row.padded = true;
          // What is empty to the end of a row is repeated to the sheet's edge.
          const times = shown === undefined || shown === "" ? cell.times : Math.min(cell.times, MOST_COLUMNS);
          for (let i = 0; i < times && row.cells.length < MOST_COLUMNS; i++) row.cells.push(shown);
          cell = null;
          break;
        }
        case "table-row": {
          if (!row) break;
          const { times, cells, error, hidden, padded } = row;
          while (cells.length > 0 && (cells.at(-1) ?? "") === "") cells.pop();
          if (cells.length > 0) ready.push({ row: { number: number + 1, cells, error, hidden, padded }, times });
          number += times;
          row = null;
        }
      }
    },
  };
  for await (const _ of parseEntry(source, CONTENT, handlers, (detail) => broken(source.name, detail))) {
    if (ready.length === 0) continue;
    const now = ready;
    ready = [];
    yield* repeated(now);
  }
  yield* repeated(ready);
}

/** Rows as often as each stands there, some at a time. */
function* repeated(rows: readonly { row: Row; times: number }[]): Generator<Row[]> {
  let some: Row[] = [];
  for (const { row, times } of rows) {
    for (let i = 0; i < times && row.number + i <= MOST_ROWS; i++) {
      some.push(i === 0 ? row : { ...row, number: row.number + i, cells: [...row.cells] });
      if (some.length < TOGETHER) continue;
      yield some;
      some = [];
    }
  }
  if (some.length > 0) yield some;
}

/** A cell's value by its type; undefined where its text is all there is. */
function valueOf(attribute: (name: string) => string | undefined): string | undefined {
  switch (attribute("office:value-type")) {
    case "float":
    case "percentage":
    case "currency":
      return withoutExponent(attribute("office:value") ?? "");
    case "date":
      return attribute("office:date-value")?.replace("T", " ");
    case "time":
      return timeOf(attribute("office:time-value") ?? "");
    case "boolean":
      return attribute("office:boolean-value");
    case "string":
      return attribute("office:string-value");
    default:
      return undefined;
  }
}

/** “PT27H30M00S” as hours, minutes and seconds. */
function timeOf(duration: string): string {
  const parts = /^(-?)P(?:(\d+)D)?T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)(?:[.,](\d+))?S)?$/.exec(duration);
  if (!parts) return duration;
  const [, sign = "", days = "0", hours = "0", minutes = "0", seconds = "0", rest = ""] = parts;
  const two = (n: string | number): string => String(Number(n)).padStart(2, "0");
  const part = /[1-9]/.test(rest) ? `.${rest}` : "";
  return `${sign}${two(Number(days) * 24 + Number(hours))}:${two(minutes)}:${two(seconds)}${part}`;
}

/** Whether a number is shown with zeros before it. */
function isPadded(value: string, text: string | null): boolean {
  return text !== null && /^0\d+$/.test(text) && /^\d+$/.test(value) && text.replace(/^0+(?=\d)/, "") === value;
}
