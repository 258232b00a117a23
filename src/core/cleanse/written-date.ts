import { z } from "zod";
import { cellText } from "../kernel/bytes.ts";
import { grouped } from "../kernel/problem.ts";
import { asciiDigits } from "../type/written-number.ts";
import { MONTH_LANGUAGES, monthNames, plainWord, type MonthLanguage } from "./months.ts";
import { byText, setCell, type RecordCourse, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const ORDERS = ["day first", "month first", "year first"] as const;
type Order = (typeof ORDERS)[number];

const options = {
  order: z
    .enum([...ORDERS, "by evidence"])
    .describe(
      "How digits alone are to be read; by evidence: as the values of each file say, of which one part is past 12",
    ),
  undecided: z
    .enum(["day first", "month first"])
    .optional()
    .describe("How a file is read whose values speak for neither, or for both; day first unless said"),
  languages: z
    .array(z.enum(MONTH_LANGUAGES))
    .min(1)
    .optional()
    .describe("The languages of the months' names; English, German, French and Spanish unless said"),
  pivot: z
    .int()
    .min(0)
    .max(99)
    .optional()
    .describe("The last year of two digits that is of this century; greater ones are of the last. 50 unless said"),
};

export type WrittenDateOptions = OptionsOf<typeof options>;

let usualMonths: ReadonlyMap<string, number> | null = null;

/** A date as people write it, its month in one of the usual languages, as ISO 8601; null for what is none. */
export function usualDate(text: string, order: Order): string | null {
  usualMonths ??= monthNames(USUAL);
  return writtenDate(text, order, usualMonths, USUAL_PIVOT);
}

/**
 * A date with its month in letters or digits, in any usual order, as ISO 8601; null for what is none.
 * @param pivot the last year of two digits that is of this century
 */
export function writtenDate(
  text: string,
  order: Order,
  months: ReadonlyMap<string, number>,
  pivot: number,
): string | null {
  if (text.length > 80 || !/\p{Nd}/u.test(text)) return null;
  // Ordinals, weekdays and small words say nothing that the rest does not.
  const tokens = asciiDigits(text)
    .replace(/(\d)(?:st|nd|rd|th|er|º|ª)\b/giu, "$1")
    // Year, month and day in the words of China, Japan, Korea and Vietnam.
    .replace(/(\d)\s*[年月日号號년월일]/gu, "$1 ")
    .replace(/(?<!\p{L})(?:ngày|tháng|năm)(?!\p{L})/giu, " ")
    // Points within a word that is short for another.
    .replace(/(?<=[\p{L}\p{M}])\.(?=\p{L})/gu, "")
    .split(/[\s,./\-–'’]+/u)
    .filter((t) => t !== "");
  const numbers: string[] = [];
  let month = 0;
  let before = 0;
  for (const token of tokens) {
    if (/^\d{1,4}$/.test(token)) {
      numbers.push(token);
      continue;
    }
    // In Hebrew “in” is written together with the month.
    const named = months.get(plainWord(token)) ?? (token.startsWith("ב") ? months.get(token.slice(1)) : undefined);
    if (named === undefined) {
      // Weekdays and words such as “of” and “de” may stand anywhere; a second month may not.
      if (!/^[\p{L}\p{M}]{1,14}$/u.test(token)) return null;
      continue;
    }
    // Nor may one that is another month in another of the languages.
    if (month !== 0 || named === 0) return null;
    month = named;
    before = numbers.length;
  }
  let year: string;
  let day: string;
  if (month !== 0) {
    if (numbers.length !== 2) return null;
    const [a, b] = numbers as [string, string];
    [day, year] = a.length > 2 || (before === 1 && order === "year first") ? [b, a] : [a, b];
  } else {
    if (numbers.length !== 3 || tokens.length !== 3) return null;
    const [a, b, c] = numbers as [string, string, string];
    const first = a.length > 2 ? "year first" : order;
    if (first === "year first") [year, month, day] = [a, Number(b), c];
    else if (first === "day first") [day, month, year] = [a, Number(b), c];
    else [month, day, year] = [Number(a), b, c];
  }
  const y = year.length > 2 ? Number(year) : wholeYear(Number(year), pivot);
  if (year.length === 3 || day.length > 2) return null;
  const at = new Date(Date.UTC(y, month - 1, Number(day)));
  if (at.getUTCFullYear() !== y || at.getUTCMonth() !== month - 1 || at.getUTCDate() !== Number(day)) return null;
  return at.toISOString().slice(0, 10);
}

/** A time of day behind what may be a day: hours, minutes, seconds, parts of them, the half of the day, the offset. */
const TIME_BEHIND =
  /^(.*\S)(?:,? +|,|T)(\d{1,2}):([0-5]\d)(?::([0-5]\d)(?:[.,](\d{1,6}))?)?(?: ?([ap])(?:m|\.m\.))?(?: ?(Z|UTC|GMT|[+-]\d{2}:?\d{2}))?$/i;
/** Longer texts are no moments. */
const LONGEST = 120;

/** A date as people write it, or one with a time of day behind it, as ISO 8601 has them; null for what is neither. */
export function writtenMoment(
  text: string,
  order: Order,
  months: ReadonlyMap<string, number>,
  pivot: number,
): string | null {
  const date = writtenDate(text, order, months, pivot);
  if (date !== null || text.length > LONGEST) return date;
  const match = TIME_BEHIND.exec(text.trim());
  const day = match && writtenDate(match[1]!, order, months, pivot);
  if (!match || !day) return null;
  const [, , hour, minute, second = "00", part, half, offset = ""] = match;
  const h = Number(hour);
  if (half ? h < 1 || h > 12 : h > 23) return null;
  const whole = half ? (h % 12) + (half.toLowerCase() === "p" ? 12 : 0) : h;
  const zone = /^[zug]/i.test(offset) ? "Z" : offset.replace(/^([+-]\d\d)(\d\d)$/, "$1:$2");
  return `${day}T${String(whole).padStart(2, "0")}:${minute}:${second}${part ? `.${part}` : ""}${zone}`;
}

const USUAL: readonly MonthLanguage[] = ["en", "de", "fr", "es"];
/** Years of two digits up to this one are of this century, unless another is said. */
export const USUAL_PIVOT = 50;

/** A year of two digits with its century. */
export function wholeYear(year: number, pivot = USUAL_PIVOT): number {
  return year + (year > pivot ? 1900 : 2000);
}

/** Two numbers and a year, of which either of the first two may be the day. */
const EITHER = /^\s*(\d{1,2})[\s./-]+(\d{1,2})[\s./-]+\d{2,4}(?:[\s,T]+\d{1,2}:.*|\s*)$/;

/**
 * The order of day and month in a file, decided by its first records and kept to its end: values of
 * which one part is past 12 can be read in one way only.
 */
function orderOf(course: RecordCourse, f: number, name: string, from: number, to: number, undecided: Order): Order {
  const known = from > 0 && course.begins(from) ? "" : course.carried(`order ${f}`);
  if (known !== "") return known as Order;
  let [day, month] = [0, 0];
  for (let r = from; r < to; r++) {
    if (course.skip(r)) continue;
    const match = EITHER.exec(cellText(course.heap, course.cells[f]!, r));
    if (!match) continue;
    const [a, b] = [Number(match[1]), Number(match[2])];
    if (a > 12 && b <= 12) day++;
    else if (b > 12 && a <= 12) month++;
  }
  const order = day > 0 === month > 0 ? undecided : day > 0 ? "day first" : "month first";
  course.carry(`order ${f}`, order);
  course.tell(
    `order of ${name}`,
    `${name} is read ${order}: ${grouped(day)} of the first ${grouped(to - from)} values have a first part past 12, ${grouped(month)} a second one`,
  );
  return order;
}

export const writtenDateStep: StepPart<WrittenDateOptions> = {
  id: "written-date",
  title: "Dates as people write them",
  about:
    "Writes a date as ISO 8601, its month in digits or in words of several languages, its year with two digits or four; a time of day behind it too.",
  options,
  writesDates: true,
  words: ({ order, languages }) =>
    `dates as people write them, ${order}${languages ? `, in ${languages.join(", ")}` : ""}`,
  apply: ({ order, undecided = "day first", languages = USUAL, pivot = USUAL_PIVOT }) => {
    const months = monthNames(languages);
    const own = order === "by evidence" ? undecided : order;
    return byText((text) => writtenMoment(text, own, months, pivot) ?? text);
  },
  record: ({ order, undecided = "day first", languages = USUAL, pivot = USUAL_PIVOT }, { fields, targets }) => {
    if (order !== "by evidence") return null;
    const months = monthNames(languages);
    return (course) => {
      let n = 0;
      for (const f of targets) {
        for (let from = 0, to; from < course.count; from = to) {
          to = from + 1;
          while (to < course.count && !course.begins(to)) to++;
          const own = orderOf(course, f, fields[f]!.name, from, to, undecided);
          for (let r = from; r < to; r++) {
            if (course.skip(r)) continue;
            const date = writtenMoment(cellText(course.heap, course.cells[f]!, r), own, months, pivot);
            if (date !== null) n += setCell(course, f, r, date);
          }
        }
      }
      return n;
    };
  },
  examples: [
    { options: { order: "day first" }, from: "3rd of March 2026", to: "2026-03-03" },
    { options: { order: "day first" }, from: "12. Dezember 1987", to: "1987-12-12" },
    { options: { order: "day first" }, from: "1er août 2024", to: "2024-08-01" },
    { options: { order: "day first" }, from: "5 de enero de 99", to: "1999-01-05" },
    { options: { order: "month first" }, from: "March 3, 2026", to: "2026-03-03" },
    { options: { order: "day first" }, from: "Tue 3 Mar 26", to: "2026-03-03" },
    { options: { order: "day first" }, from: "04/09/31", to: "2031-09-04" },
    { options: { order: "month first" }, from: "04/09/31", to: "2031-04-09" },
    { options: { order: "day first", pivot: 30 }, from: "04/09/31", to: "1931-09-04" },
    { options: { order: "day first" }, from: "2026/9/4", to: "2026-09-04" },
    { options: { order: "day first", languages: ["pl"] }, from: "7 września 2025", to: "2025-09-07" },
    { options: { order: "day first" }, from: "Jun 12 1998", to: "1998-06-12" },
    { options: { order: "day first", languages: ["ru"] }, from: "31 мая 2026 г.", to: "2026-05-31" },
    { options: { order: "day first", languages: ["el"] }, from: "31 Μαΐου 2026", to: "2026-05-31" },
    { options: { order: "day first", languages: ["tr"] }, from: "5 Ağustos 2026", to: "2026-08-05" },
    { options: { order: "day first", languages: ["lt"] }, from: "2026 m. gegužės 31 d.", to: "2026-05-31" },
    { options: { order: "day first", languages: ["hu"] }, from: "2026. március 15.", to: "2026-03-15" },
    { options: { order: "day first", languages: ["ar"] }, from: "٣١ مايو ٢٠٢٦", to: "2026-05-31" },
    { options: { order: "day first", languages: ["th"] }, from: "31 พ.ค. 2026", to: "2026-05-31" },
    { options: { order: "day first", languages: ["he"] }, from: "31 במאי 2026", to: "2026-05-31" },
    { options: { order: "day first" }, from: "2026年5月31日", to: "2026-05-31" },
    { options: { order: "day first" }, from: "2026년 5월 31일", to: "2026-05-31" },
    { options: { order: "month first" }, from: "ngày 4 tháng 5 năm 2026", to: "2026-04-05" },
    { options: { order: "day first", languages: ["pl", "hr"] }, from: "4 listopad 2026", to: "4 listopad 2026" },
    { options: { order: "day first", languages: ["hr"] }, from: "4 listopad 2026", to: "2026-10-04" },
    { options: { order: "day first" }, from: "31.02.2026", to: "31.02.2026" },
    { options: { order: "day first" }, from: "spring 1987", to: "spring 1987" },
    { options: { order: "day first" }, from: "4 May June 2026", to: "4 May June 2026" },
    { options: { order: "by evidence" }, from: "04/05/2026", to: "2026-05-04" },
    { options: { order: "day first" }, from: "31.12.26 9:05", to: "2026-12-31T09:05:00" },
    { options: { order: "month first" }, from: "12/31/26, 12:05:09 am", to: "2026-12-31T00:05:09" },
    { options: { order: "month first" }, from: "12/31/2026 1:05 P.M.", to: "2026-12-31T13:05:00" },
    { options: { order: "day first" }, from: "3 March 2026 14:05:09,25 +0100", to: "2026-03-03T14:05:09.25+01:00" },
    { options: { order: "day first" }, from: "Thu, 03 Dec 2026 10:05:07 GMT", to: "2026-12-03T10:05:07Z" },
    { options: { order: "day first" }, from: "31.12.26 24:05", to: "31.12.26 24:05" },
    { options: { order: "day first" }, from: "31.12.26 13:05 pm", to: "31.12.26 13:05 pm" },
    { options: { order: "day first" }, from: "noon 9:05", to: "noon 9:05" },
  ],
  records: [
    {
      in: ["a"],
      options: { order: "by evidence" },
      from: { a: "12/25/2026", b: "" },
      to: { a: "2026-12-25", b: "" },
    },
    {
      in: ["a"],
      options: { order: "by evidence", undecided: "month first" },
      from: { a: "12/05/2026", b: "" },
      to: { a: "2026-12-05", b: "" },
    },
    {
      in: ["a"],
      options: { order: "by evidence" },
      from: { a: "12/25/26 9:05", b: "" },
      to: { a: "2026-12-25T09:05:00", b: "" },
    },
  ],
};
