import { usualDate } from "../../cleanse/written-date.ts";
import type { Idea, IdeaMaker } from "./part.ts";
import { readingsOf } from "./readings.ts";

/** A day in one of the field's own forms, or null where it has none that can be written. */
function inForm(day: string, formats: readonly string[]): string | null {
  if (formats.includes("yyyy-MM-dd")) return day;
  const [year, month, date] = day.split("-") as [string, string, string];
  const short = (text: string, length: number): string => (length === 2 ? text : String(Number(text)));
  const format = formats.find((f) => /^[yMd./\- ]+$/.test(f) && !f.includes("MMM"));
  return (
    format?.replace(/yyyy|MM|M|dd|d/g, (piece) => {
      if (piece === "yyyy") return year;
      return short(piece.startsWith("M") ? month : date, piece.length);
    }) ?? null
  );
}

const ORDERS = ["day first", "month first"] as const;

/** A time behind a day, with or without a zone. */
const TIME = /[T\s]\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?\s*(?:Z|[-+]\d{2}:?\d{2}|[ap]\.?m\.?)?$/i;
/** Days since the end of 1899, as workbooks count them (Office Open XML, ISO/IEC 29500, with 29 February 1900): those of 1950 to 2064. */
const SERIAL = { least: 18_264, most: 60_000, epoch: Date.UTC(1899, 11, 30) };
const DAY_MS = 86_400_000;

/** Words that make a bound or a guess of a day. */
const BOUND =
  /[<>≤≥~?]|(?<!\p{L})(?:before|after|since|until|till|by|from|to|not|or|about|around|circa|ca|early|late|end|begin\w*|vor|nach|seit|bis|ab|um|ende|anfang|avant|après|depuis|vers|fin|début|antes|después|desde|hasta)(?!\p{L})/iu;

/** Days as people write them. Of day and month in digits the order must be clear: from the value, or from others of its load. */
export const dayIdeas: IdeaMaker = ({ field, formats, values }) => {
  const orders = readingsOf(ORDERS, values, (value) => value.replace(TIME, ""), usualDate);
  return ({ value, loads }) => {
    const ideas: Idea[] = [];
    const add = (day: string | null, because: string): void => {
      const to = day === null ? null : inForm(day, formats);
      if (to !== null) ideas.push({ to, because, eitherOf: "order" });
    };
    if (BOUND.test(value)) return ideas;
    // A moment is more than its day.
    if (field.type === "timestamp" && TIME.test(value)) return ideas;
    const possible = orders(loads);
    const bare = value.replace(TIME, "");
    const time = bare === value ? "" : ", without its time";
    const [asDay = null, asMonth = asDay] = possible.map((o) => usualDate(bare, o));
    if (asDay === asMonth && possible.length > 1) add(asDay, `the day as written${time}`);
    else for (const order of possible) add(usualDate(bare, order), `the day as written, ${order}${time}`);
    const serial = /^\d{5}(?:\.0+)?$/.test(value) ? Number(value) : 0;
    if (serial >= SERIAL.least && serial <= SERIAL.most) {
      add(new Date(SERIAL.epoch + serial * DAY_MS).toISOString().slice(0, 10), "the day that a workbook counts so");
    }
    return ideas;
  };
};
