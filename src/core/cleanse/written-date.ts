import { z } from "zod";
import { withoutAccents } from "./accents.ts";
import { byText, type StepPart } from "./part.ts";

const LANGUAGES = ["en", "de", "fr", "es", "it", "nl", "pt", "sv", "da", "nb", "fi", "pl", "cs", "hu"] as const;
type Language = (typeof LANGUAGES)[number];

export interface WrittenDateOptions {
  readonly order: "day first" | "month first" | "year first";
  readonly languages?: readonly Language[] | undefined;
  readonly pivot?: number | undefined;
}

const plain = (text: string): string => withoutAccents(text).toLowerCase().replace(/[.,]/g, "").trim();

/** The names of months in some languages, long and short, as ECMAScript's Intl knows them. */
function monthNames(languages: readonly Language[]): Map<string, number> {
  const names = new Map<string, number>();
  const forms: Intl.DateTimeFormatOptions[] = [
    { month: "long" },
    { month: "short" },
    // With a day beside it the name may stand in another case.
    { month: "long", day: "numeric" },
    { month: "short", day: "numeric" },
  ];
  for (const language of languages) {
    for (const form of forms) {
      const format = new Intl.DateTimeFormat(language, { ...form, timeZone: "UTC" });
      for (let m = 0; m < 12; m++) {
        for (const part of format.formatToParts(Date.UTC(2001, m, 15))) {
          const name = plain(part.value);
          if (part.type === "month" && /\p{L}/u.test(name) && !names.has(name)) names.set(name, m + 1);
        }
      }
    }
  }
  return names;
}

/** A date with its month in letters or digits, in any usual order, as ISO 8601; null for what is none. */
function writtenDate(
  text: string,
  order: WrittenDateOptions["order"],
  months: Map<string, number>,
  pivot: number,
): string | null {
  if (text.length > 80 || !/\d/.test(text)) return null;
  // Ordinals, weekdays and small words say nothing that the rest does not.
  const tokens = text
    .replace(/(\d)(?:st|nd|rd|th|er|º|ª)\b/giu, "$1")
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
    const named = months.get(plain(token));
    if (named === undefined) {
      // Weekdays and words such as “of” and “de” may stand anywhere; a second month may not.
      if (!/^\p{L}{1,12}$/u.test(token)) return null;
      continue;
    }
    if (month !== 0) return null;
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
  const y = year.length > 2 ? Number(year) : Number(year) + (Number(year) > pivot ? 1900 : 2000);
  if (year.length === 3 || day.length > 2) return null;
  const at = new Date(Date.UTC(y, month - 1, Number(day)));
  if (at.getUTCFullYear() !== y || at.getUTCMonth() !== month - 1 || at.getUTCDate() !== Number(day)) return null;
  return at.toISOString().slice(0, 10);
}

export const writtenDateStep: StepPart<WrittenDateOptions> = {
  id: "written-date",
  title: "Dates as people write them",
  about:
    "Writes a date as ISO 8601, its month in digits or in words of several languages, its year with two digits or four.",
  options: {
    order: z.enum(["day first", "month first", "year first"]).describe("How digits alone are to be read"),
    languages: z
      .array(z.enum(LANGUAGES))
      .min(1)
      .optional()
      .describe("The languages of the months' names; English, German, French and Spanish unless said"),
    pivot: z
      .int()
      .min(0)
      .max(99)
      .optional()
      .describe("The last year of two digits that is of this century; greater ones are of the last. 50 unless said"),
  },
  writesDates: true,
  words: ({ order, languages }) =>
    `dates as people write them, ${order}${languages ? `, in ${languages.join(", ")}` : ""}`,
  apply: ({ order, languages = ["en", "de", "fr", "es"], pivot = 50 }) => {
    const months = monthNames(languages);
    return byText((text) => writtenDate(text, order, months, pivot) ?? text);
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
    { options: { order: "day first" }, from: "31.02.2026", to: "31.02.2026" },
    { options: { order: "day first" }, from: "spring 1987", to: "spring 1987" },
    { options: { order: "day first" }, from: "4 May June 2026", to: "4 May June 2026" },
  ],
};
