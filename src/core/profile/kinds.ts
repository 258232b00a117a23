import { USUAL_PIVOT, writtenMoment } from "../cleanse/written-date.ts";
import { languagesOfMonth, monthsOf, type MonthLanguage } from "../cleanse/months.ts";
import { textOf } from "../kernel/bytes.ts";
import { currenciesIn } from "../type/currency.ts";
import { jsonValue } from "../type/json.ts";
import { unitOf } from "../type/units.ts";
import { plainNumber } from "../type/written-number.ts";
import type { CellShape } from "./shape.ts";

/** A word and how many values have it. */
export interface Counted {
  readonly word: string;
  readonly count: number;
}

/** What values of a column are that are neither plain numbers nor dates in digits. */
export interface KindFacts {
  /** Times of day, by the format that they are written in. */
  readonly times: readonly Counted[];
  readonly uuids: number;
  readonly json: number;
  readonly written: WrittenNumbers | null;
  readonly dates: WrittenDates | null;
}

/** Numbers as people write them: with groups of digits, currencies, units, per cent, signs behind. */
export interface WrittenNumbers {
  /** Values that are such a number with a point, or with a comma, before the decimals; some are both. */
  readonly point: number;
  readonly comma: number;
  /** Most digits before and after the decimal mark. */
  readonly whole: number;
  readonly part: number;
  readonly percent: number;
  /** Values with a sign behind the number; absent in profiles of before. */
  readonly signsBehind?: number;
  /** By what stands beside the number: the currencies that it may mean. Several: a sign that several have. */
  readonly currencies: readonly (Counted & { readonly codes: readonly string[] })[];
  /** By what stands behind the number: the unit that it is. */
  readonly units: readonly (Counted & { readonly unit: string; readonly kind: string })[];
}

/** Dates with their month in words, or with the year first and marks that no format has. */
export interface WrittenDates {
  readonly count: number;
  /** Of them those with the year first and no word for the month; absent in profiles of before, and where there are none. */
  readonly yearFirst?: { readonly count: number; readonly example: string };
  /** Of them those with a time of day behind the day; absent in profiles of before. */
  readonly timed?: number;
  /** The languages that have all, or nearly all, of the names. */
  readonly languages: readonly MonthLanguage[];
  /** A name that means another month in a language that would do as well. */
  readonly doubtful: string | null;
}

const TIME = /^(\d{1,2})([:.])([0-5]\d)(?:[:.]([0-5]\d)(?:\.\d{1,6})?)?(?:\s?([ap])(\.?)m\.?)?$/i;
const UUID = /^(?:urn:uuid:)?\{?[0-9a-f]{8}-?[0-9a-f]{4}-?[0-9a-f]{4}-?[0-9a-f]{4}-?[0-9a-f]{12}\}?$/i;
const AMOUNT = /^[^\d\s]{0,5}\s?[-+(]?\d[\d\s.,'’_\u00a0\u202f\u2009]*\)?\s?[^\d]{0,14}$/u;
/** A number with a power of ten: without decimals and without a sign before the power it may be a code, such as 12E3. */
const POWER = /^[-+]?(?:\d+[.,]\d+E[-+]?\d{1,3}|\d+E[-+]\d{1,3})$/i;
const UNIT = /^[-+]?\d[\d.,\s]*?\s*([^\d\s.,][^\d]*?)\.?$/u;
const CODE = /^[A-Za-z]+\d|^[A-Za-z]\s/;
/** A year and what it is called in East Asia, or a point and a blank, as in Hungary. */
const YEAR_FIRST = /^\p{Nd}{4}(?:\s?[年년]|\.\s)/u;
const NO_MONTHS: ReadonlyMap<string, number> = new Map();
const WORD = /[\p{L}\p{M}][\p{L}\p{M}.]{1,}/gu;
/** Measured values of a column after which what has hardly been met is no longer looked for. */
const TRIED = 4096;
/** The share of them that must be of a kind for it to be looked for any longer. */
const ENOUGH = 0.005;
const MOST_WORDS = 40;
/** Longer values are no number, day or time. */
const LONGEST = 40;
const LONGEST_JSON = 100_000;

function bump(counts: Map<string, number>, word: string, times: number): void {
  const known = counts.get(word);
  if (known !== undefined) counts.set(word, known + times);
  else if (counts.size < MOST_WORDS) counts.set(word, times);
}

const ordered = (counts: ReadonlyMap<string, number>): Counted[] =>
  [...counts].map(([word, count]) => ({ word, count })).sort((a, b) => b.count - a.count);

/** The format of a time of day, or null. */
function timeFormat(text: string): string | null {
  const match = TIME.exec(text);
  if (!match) return null;
  const [, hour, mark, , second, half] = match as unknown as [string, string, string, string, string?, string?];
  const n = Number(hour);
  // Two numbers with a point between are a number, where no half of the day is said.
  if ((mark === "." && !half) || n > (half ? 12 : 23) || (half && n === 0)) return null;
  const h = half ? "h" : hour.length === 2 ? "HH" : "H";
  const part = /\.\d+$/.test(text) && second ? ".SSSSSS" : "";
  const space = /\s[ap]/i.test(text) ? " " : "";
  return `${h}${mark}mm${second ? `${mark}ss${part}` : ""}${half ? `${space}a` : ""}`;
}

/** Looks at a column's values for what they are besides plain numbers and dates in digits. */
export class KindFold {
  private measured = 0;
  private readonly times = new Map<string, number>();
  private uuids = 0;
  private json = 0;
  private point = 0;
  private comma = 0;
  private whole = 0;
  private least = Infinity;
  private part = 0;
  private percent = 0;
  private signsBehind = 0;
  private readonly currencies = new Map<string, number>();
  private readonly units = new Map<string, number>();
  private readonly months = new Map<string, number>();
  private dates = 0;
  private timed = 0;
  private yearFirst = { count: 0, example: "" };
  /** Kinds that are still looked for. */
  private looks = { times: true, uuids: true, json: true, numbers: true, dates: true };

  /** Takes a value that is no plain number. */
  add(bytes: Uint8Array, start: number, end: number, shape: CellShape, times: number): void {
    const { looks } = this;
    if (this.measured < TRIED && (this.measured += times) >= TRIED) this.giveUp();
    const first = bytes[start]!;
    if (looks.json && (first === 123 || first === 91)) {
      if (end - start <= LONGEST_JSON && typeof jsonValue(textOf(bytes, start, end)) === "object") {
        this.json += times;
        return;
      }
    }
    if (shape.length > 50) return;
    const long = shape.length > LONGEST;
    if (long ? !looks.uuids : !(looks.times || looks.uuids || looks.numbers || looks.dates)) return;
    if (shape.digits === 0 && shape.lower === 0) return;
    const text = textOf(bytes, start, end).trim();
    // Digits of other scripts count as letters there.
    if (shape.digits === 0 && !/\p{Nd}/u.test(text)) return;
    if (looks.uuids && shape.length >= 32 && UUID.test(text)) {
      this.uuids += times;
      return;
    }
    if (long) return;
    const format = looks.times && shape.groups >= 2 ? timeFormat(text) : null;
    if (format !== null) bump(this.times, format, times);
    else if (!(looks.numbers && this.number(text, times)) && looks.dates) this.date(text, times);
  }

  /** What is hardly met among the first of the values costs nothing from there on. */
  private giveUp(): void {
    const least = TRIED * ENOUGH;
    const all = (counts: ReadonlyMap<string, number>): number => [...counts.values()].reduce((n, c) => n + c, 0);
    this.looks = {
      times: all(this.times) >= least,
      uuids: this.uuids >= least,
      json: this.json >= least,
      numbers: Math.max(this.point, this.comma) >= least,
      dates: this.dates >= least,
    };
  }

  private number(text: string, times: number): boolean {
    const power = POWER.test(text);
    // Letters right before digits make a code: K12, ALL001.
    if (!power && (!AMOUNT.test(text) || CODE.test(text))) return false;
    const unit = power ? undefined : UNIT.exec(text)?.[1];
    // A letter alone behind a number is more often one of a house than a degree.
    const known = unit === undefined || /^[cfk]$/i.test(unit) ? null : unitOf(unit);
    const bare = known ? text.slice(0, text.lastIndexOf(unit!)).trim() : text;
    const [point, comma] = [plainNumber(bare, ".", false), plainNumber(bare, ",", false)];
    if (point === null && comma === null) return false;
    const beside = known || power ? "" : text.replace(/[\d\s.,'’_()+\-−%٪\u00a0\u202f\u2009]/gu, "");
    // A letter alone is a mark of somebody's and no currency.
    if (/^[A-Za-z]$/.test(beside)) return false;
    if (/[-+−]$/.test(text)) this.signsBehind += times;
    if (point !== null) this.point += times;
    if (comma !== null) this.comma += times;
    const [whole, part = ""] = (comma !== null && (point === null || comma.includes(".")) ? comma : point)!.split(
      ".",
    ) as [string, string?];
    const digits = whole.replace("-", "").length;
    this.whole = Math.max(this.whole, digits);
    this.least = Math.min(this.least, digits);
    this.part = Math.max(this.part, part.length);
    if (/[%٪]/.test(text)) this.percent += times;
    if (known) bump(this.units, unit!, times);
    else if (beside !== "") bump(this.currencies, beside, times);
    return true;
  }

  private date(text: string, times: number): void {
    const word = (text.match(WORD) ?? []).find((w) => languagesOfMonth(w).length > 0);
    const moment =
      word !== undefined
        ? writtenMoment(text, "day first", monthsOf(languagesOfMonth(word)[0]!), USUAL_PIVOT)
        : // With the year first it needs no word to be read in one way.
          YEAR_FIRST.test(text)
          ? writtenMoment(text, "year first", NO_MONTHS, USUAL_PIVOT)
          : null;
    if (moment === null) return;
    this.dates += times;
    if (moment.includes("T")) this.timed += times;
    if (word !== undefined) bump(this.months, word.toLowerCase(), times);
    else {
      if (this.yearFirst.count === 0) this.yearFirst.example = text;
      this.yearFirst.count += times;
    }
  }

  finish(): KindFacts | null {
    const { uuids, json } = this;
    const times = ordered(this.times);
    const written = this.numbersWritten();
    const dates = this.dates > 0 ? this.datesWritten() : null;
    return times.length > 0 || uuids > 0 || json > 0 || written || dates
      ? { times, uuids, json, written, dates }
      : null;
  }

  private numbersWritten(): WrittenNumbers | null {
    const { point, comma, whole, part, percent } = this;
    if (point === 0 && comma === 0) return null;
    const beside = percent > 0 || this.currencies.size > 0 || this.units.size > 0;
    // Digits in groups, as many in each value: a telephone number or the like.
    if (!beside && part === 0 && this.least === whole && whole > 6) return null;
    return {
      point,
      comma,
      whole,
      part,
      percent,
      signsBehind: this.signsBehind,
      currencies: ordered(this.currencies).map((c) => ({ ...c, codes: [...(currenciesIn(c.word) ?? [])].sort() })),
      units: ordered(this.units).map((c) => ({ ...c, unit: unitOf(c.word)!.id, kind: unitOf(c.word)!.kind })),
    };
  }

  /** The fewest languages that have the names; another that has them all as well, and means another month, is a doubt. */
  private datesWritten(): WrittenDates {
    const left = new Map(this.months);
    const languages: MonthLanguage[] = [];
    while (left.size > 0 && languages.length < 4) {
      const covers = new Map<MonthLanguage, number>();
      for (const [word, count] of left) {
        for (const language of languagesOfMonth(word)) covers.set(language, (covers.get(language) ?? 0) + count);
      }
      const best = Math.max(...covers.values());
      const next = [...covers].find(([, n]) => n === best)![0];
      languages.push(next);
      for (const word of [...left.keys()]) if (languagesOfMonth(word).includes(next)) left.delete(word);
    }
    const own = [...this.months.keys()];
    const monthIn = (word: string, language: MonthLanguage): number | undefined =>
      monthsOf(language).get(word.replaceAll(".", ""));
    const doubtful =
      languages.length === 1
        ? own.find((word) =>
            languagesOfMonth(word).some(
              (other) =>
                own.every((w) => languagesOfMonth(w).includes(other)) &&
                monthIn(word, other) !== monthIn(word, languages[0]!),
            ),
          )
        : undefined;
    const yearFirst = this.yearFirst.count > 0 ? { yearFirst: this.yearFirst } : {};
    return { count: this.dates, timed: this.timed, languages, doubtful: doubtful ?? null, ...yearFirst };
  }
}
