import { withoutAccents } from "../kernel/accents.ts";

/** Languages whose names of months, by Intl, are words. */
export const MONTH_LANGUAGES = [
  "en",
  "de",
  "fr",
  "es",
  "it",
  "nl",
  "pt",
  "sv",
  "da",
  "nb",
  "fi",
  "is",
  "pl",
  "cs",
  "sk",
  "sl",
  "hr",
  "bs",
  "hu",
  "ro",
  "sq",
  "el",
  "tr",
  "az",
  "lt",
  "lv",
  "et",
  "ca",
  "gl",
  "eu",
  "cy",
  "ru",
  "uk",
  "be",
  "bg",
  "mk",
  "sr",
  "ka",
  "hy",
  "kk",
  "he",
  "ar",
  "fa",
  "hi",
  "bn",
  "ta",
  "th",
  "id",
  "ms",
  "sw",
  "af",
] as const;
export type MonthLanguage = (typeof MONTH_LANGUAGES)[number];

/** A word as it is compared: without accents, points and commas, in lower case. */
export const plainWord = (text: string): string => withoutAccents(text).toLowerCase().replace(/[.,]/g, "").trim();

const kept = new Map<MonthLanguage, ReadonlyMap<string, number>>();

/** The names of months of a language, long and short, as ECMAScript's Intl knows them; the first month is 1. */
export function monthsOf(language: MonthLanguage): ReadonlyMap<string, number> {
  const known = kept.get(language);
  if (known) return known;
  const names = new Map<string, number>();
  const forms: Intl.DateTimeFormatOptions[] = [
    { month: "long" },
    { month: "short" },
    // With a day beside it the name may stand in another case.
    { month: "long", day: "numeric" },
    { month: "short", day: "numeric" },
  ];
  for (const form of forms) {
    // The calendar is said: in some countries another one is usual.
    const format = new Intl.DateTimeFormat(`${language}-u-ca-gregory`, { ...form, timeZone: "UTC" });
    for (let m = 0; m < 12; m++) {
      for (const part of format.formatToParts(Date.UTC(2001, m, 15))) {
        const name = plainWord(part.value);
        if (part.type === "month" && /^[\p{L}\p{M}]+$/u.test(name) && !names.has(name)) names.set(name, m + 1);
      }
    }
  }
  kept.set(language, names);
  return names;
}

/** The names of some languages; one that means another month in another of them is 0, for it can't be told. */
export function monthNames(languages: readonly MonthLanguage[]): ReadonlyMap<string, number> {
  const names = new Map<string, number>();
  for (const language of languages) {
    for (const [name, month] of monthsOf(language)) {
      const known = names.get(name);
      names.set(name, known === undefined || known === month ? month : 0);
    }
  }
  return names;
}

let everywhere: ReadonlyMap<string, readonly MonthLanguage[]> | null = null;

/** The languages in which a word names a month. */
export function languagesOfMonth(word: string): readonly MonthLanguage[] {
  if (!everywhere) {
    const found = new Map<string, MonthLanguage[]>();
    for (const language of MONTH_LANGUAGES) {
      for (const name of monthsOf(language).keys()) found.set(name, [...(found.get(name) ?? []), language]);
    }
    everywhere = found;
  }
  const plain = plainWord(word);
  // In Hebrew “in” is written together with the month.
  return everywhere.get(plain) ?? (plain.startsWith("ב") ? everywhere.get(plain.slice(1)) : undefined) ?? [];
}
