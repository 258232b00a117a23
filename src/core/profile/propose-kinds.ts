import { USUAL_PIVOT } from "../cleanse/written-date.ts";
import { counted, grouped, listed } from "../kernel/problem.ts";
import type { Field } from "../field/field.ts";
import type { WrittenNumbers } from "./kinds.ts";
import type { ColumnProfile } from "./facts.ts";
import { ENOUGH, fitting, type Because } from "./reason.ts";

/** The share of the values that must have a currency or a unit beside the number for that to be what the column is. */
const MOSTLY = 0.1;

type Typed = Omit<Field, "name">;

/** What a column's values are that no plain number and no date in digits is: identifiers, times, JSON, written numbers. */
export function kindOf(column: ColumnProfile, because: Because): Typed | null {
  const { filled, kinds } = column;
  if (!kinds) return null;
  const enough = (n: number): boolean => n >= filled * ENOUGH;
  if (enough(kinds.uuids)) {
    because("type", "UUID", fitting(kinds.uuids, filled, "are UUIDs"));
    return { type: "uuid" };
  }
  if (enough(kinds.json)) {
    because("type", "JSON", fitting(kinds.json, filled, "are JSON"));
    return { type: "json" };
  }
  const times = kinds.times.reduce((n, t) => n + t.count, 0);
  if (enough(times)) {
    because("type", "time of day", fitting(times, filled, "are times of day"));
    const formats = kinds.times.map((t) => t.word);
    because("formats", formats.join(", "), kinds.times.map((t) => `${grouped(t.count)} × ${t.word}`).join(", "));
    return { type: "time", formats };
  }
  return kinds.written ? numbersOf(column, kinds.written, because) : null;
}

/** Numbers as people write them, read by the decimal mark that more of them fit. */
interface ReadNumbers {
  readonly written: WrittenNumbers;
  readonly filled: number;
  readonly because: Because;
  readonly mark: "." | ",";
  /** How many values are such numbers; of them those without any mark, and those with a decimal comma. */
  readonly fits: number;
  readonly integers: number;
  readonly commas: number;
  /** How many values have a currency or a unit beside the number. */
  readonly beside: number;
  /** Digits before the mark and after it, at most. */
  readonly whole: number;
  readonly part: number;
  /** What is said where they would do with the other mark as well. */
  readonly doubt: string;
}

const markWords = ({ mark }: ReadNumbers): string => (mark === "," ? "a decimal comma" : "a decimal point");

/** A type and a step for numbers as people write them; null where too few are. */
function numbersOf(column: ColumnProfile, written: WrittenNumbers, because: Because): Typed | null {
  const { filled, numbers, types } = column;
  const plain = (type: string): number => types.find((t) => t.type === type)?.fits ?? 0;
  const integers = plain("integer");
  const pointed = Math.max(0, plain("decimal") - integers);
  const commas = Math.max(0, plain("decimal comma") - integers);
  // What has a mark of thousands there is a number too.
  const point = integers + pointed + written.point + (numbers?.commaThousands ?? 0);
  const comma = integers + commas + written.comma + (numbers?.pointThousands ?? 0);
  const fits = Math.min(filled, Math.max(point, comma));
  if (fits < filled * ENOUGH) return null;
  const part = Math.max(written.part, numbers?.part ?? 0);
  if (marksNoSign(written, part, filled)) return null;
  // What stands beside a few numbers is no reason to take it from all.
  const beside = [...written.currencies, ...written.units].reduce((n, w) => n + w.count, 0);
  if (beside > 0 && beside < filled * MOSTLY) return null;
  const either = point === comma && (written.point > 0 || written.comma > 0) && part > 0;
  const read: ReadNumbers = {
    ...{ written, filled, because, fits, integers, beside, part },
    mark: comma > point ? "," : ".",
    commas: comma - integers,
    whole: Math.max(written.whole, numbers?.whole ?? 0),
    doubt: either ? `; they would do with a point and with a comma alike, look at some` : "",
  };
  if (written.currencies.length > 0) return amountsOf(read);
  if (written.units.length > 0) return measuredOf(read, commas > 0);
  const percent =
    written.percent > 0 ? `; ${grouped(written.percent)} in per cent, of which the sign is taken away` : "";
  because(
    "cleanse",
    "numbers as people write them",
    `${grouped(fits - integers)} have groups of digits, signs or ${markWords(read)}${percent}${read.doubt}`,
    { do: "number", decimal: read.mark },
  );
  return bareNumbers(read);
}

/** Whether signs behind numbers are none: all have one, as codes do, or none has decimals, as marks of a school and sizes. */
function marksNoSign({ signsBehind = 0 }: WrittenNumbers, part: number, filled: number): boolean {
  return signsBehind > 0 && (signsBehind === filled || part === 0);
}

/** Numbers once what stands beside them and between their digits is taken away. */
function bareNumbers(read: ReadNumbers): Typed {
  const { because, fits, filled, whole, part } = read;
  if (part === 0 && whole <= 18) {
    because("type", "whole number", fitting(fits, filled, "are whole numbers"));
    return { type: "integer" };
  }
  because(
    "type",
    `decimal (${whole + 2 + part}, ${part})`,
    fitting(fits, filled, `are numbers with ${markWords(read)}`),
  );
  return { type: "decimal", precision: whole + 2 + part, scale: part };
}

/** Amounts of money, by the currencies beside them; null where not all of several can be told. */
function amountsOf(read: ReadNumbers): Typed | null {
  const { written, filled, because, mark, fits, beside, doubt } = read;
  const { currencies } = written;
  if (currencies.some((c) => c.codes.length === 0)) return null;
  const shown = currencies.map((c) => `${c.word} ${grouped(c.count)}`).join(", ");
  const sure = currencies.filter((c) => c.codes.length === 1).map((c) => c.codes[0]!);
  const one = new Set(sure).size === 1 && currencies.every((c) => c.codes.includes(sure[0]!)) ? sure[0]! : null;
  const decimal = mark === "," ? { decimal: "," as const } : {};
  if (one !== null) {
    const bare =
      fits > beside
        ? `; ${grouped(fits - beside)} ${fits - beside === 1 ? "names no currency and is" : "name no currency and are"} taken to be in ${one}`
        : "";
    because(
      "type",
      `money, ${one}`,
      `${fitting(fits, filled, `are amounts with ${markWords(read)}`)}: ${shown}${bare}${doubt}`,
    );
    return { type: "money", currency: one, ...decimal };
  }
  const named = currencies.reduce((n, c) => n + (c.codes.length === 1 ? c.count : 0), 0);
  if (new Set(sure).size > 1 && named >= filled * ENOUGH) {
    because(
      "type",
      "money, each with its currency",
      `${fitting(named, filled, "name their currency")}: ${shown}${doubt}`,
    );
    return { type: "money", ...decimal };
  }
  // Several currencies, of which not all can be told: a number without them would say less than what came.
  if (currencies.length > 1) return null;
  const codes = [...new Set(currencies[0]!.codes)];
  because(
    "cleanse",
    `without ${currencies[0]!.word}`,
    `a sign of ${counted(codes.length, "currency", "currencies")}, such as ${listed(codes.slice(0, 3))}; give the field the type money if you know which`,
    { do: "number", decimal: mark },
  );
  return bareNumbers(read);
}

/** Measures, by the units beside them; null where these are of several kinds. `bareCommas`: some have a comma and no unit. */
function measuredOf(
  { written, filled, because, mark, fits, commas, whole, part }: ReadNumbers,
  bareCommas: boolean,
): Typed | null {
  if (new Set(written.units.map((u) => u.kind)).size > 1) return null;
  const units = byUnit(written);
  const [to] = [...units].sort((a, b) => b[1] - a[1])[0]!;
  const shown = [...units].map(([u, n]) => `${u} ${grouped(n)}`).join(", ");
  const bare = filled - written.units.reduce((n, u) => n + u.count, 0);
  // A number that names no unit stays as it is: which one it is in is for a person to say.
  const bareWords =
    bare > 0
      ? `; ${grouped(bare)} ${bare === 1 ? "names no unit and is left as it is" : "name no unit and are left as they are"}`
      : "";
  if (mark === "," && (written.comma > written.point || bareCommas)) {
    because("cleanse", "comma becomes point", `${grouped(commas)} numbers have a decimal comma`, {
      do: "replace",
      find: ",",
      with: ".",
    });
  }
  because("cleanse", `amounts in ${to}`, `units beside the numbers: ${shown}${bareWords}`, { do: "unit", to });
  const scale = Math.min(12, Math.max(part, units.size > 1 ? 6 : part));
  because(
    "type",
    scale === 0 ? "whole number" : `decimal (${whole + 5 + scale}, ${scale})`,
    fitting(fits, filled, `are numbers with a unit`),
  );
  return scale === 0 ? { type: "integer" } : { type: "decimal", precision: whole + 5 + scale, scale };
}

/** How many values have a unit, whatever it is called. */
function byUnit({ units }: WrittenNumbers): Map<string, number> {
  const found = new Map<string, number>();
  for (const { unit, count } of units) found.set(unit, (found.get(unit) ?? 0) + count);
  return found;
}

/** Orders in which days are written, in the words of the step that reads them, the likelier before where both fit alike. */
const SHORT_ORDERS = [
  { order: "day first", by: "dayFirst" },
  { order: "month first", by: "monthFirst" },
  { order: "year first", by: "yearFirst" },
] as const;

/** Days whose year has two digits, with the step that gives them four; days with four beside them are read by the same step. */
export function shortYears(
  { filled, shortYears: short, dateOrders, types }: ColumnProfile,
  because: Because,
): Typed | null {
  if (!short) return null;
  const whole = { dayFirst: dateOrders?.dayFirst ?? 0, monthFirst: dateOrders?.monthFirst ?? 0, yearFirst: 0 };
  const ways = SHORT_ORDERS.map(({ order, by }) => ({ order, fits: short[by] + whole[by] })).sort(
    (x, y) => y.fits - x.fits,
  );
  const [best, next] = ways as [(typeof ways)[number], (typeof ways)[number]];
  if (best.fits < filled * ENOUGH) return null;
  const apart = best.fits - next.fits;
  const orderOf = (way: typeof best): string => `with the ${way.order}`;
  const which =
    apart === 0
      ? `they fit ${orderOf(best)} and ${orderOf(next)} alike, so look at some`
      : `${counted(apart, "value")} ${apart === 1 ? "fits" : "fit"} only ${orderOf(best)}`;
  const years = best.order === "year first" ? short.beginsWith : short.endsWith;
  // Days of birth, and not such as come: of what would lie ahead more lies in the century before.
  const past = years.ahead > 0 && years.before > years.ahead;
  const pivot = past
    ? `${grouped(years.ahead)} would lie ahead with ${USUAL_PIVOT} as the last year of this century, so it is ${String(short.now).padStart(2, "0")}`
    : `${USUAL_PIVOT} is taken for the last year of this century`;
  because(
    "cleanse",
    `years of two digits, ${best.order}`,
    `${counted(short.count, "day")} ${short.count === 1 ? "is" : "are"} written so, such as ${short.example}; ${which}; ${pivot}`,
    { do: "written-date", order: best.order, ...(past ? { pivot: short.now } : {}) },
  );
  const fits = Math.min(filled, best.fits);
  const timed = (short.timed ?? 0) + (types.find((t) => t.type === "timestamp")?.fits ?? 0);
  return daysOrMoments({ fits, filled, timed }, "days that exist", because);
}

/** What a step has made ISO 8601 of: days, or moments where some have a time behind them. */
function daysOrMoments(
  { fits, filled, timed }: { readonly fits: number; readonly filled: number; readonly timed: number },
  are: string,
  because: Because,
): Typed {
  if (timed > 0) {
    because("type", "date and time", fitting(fits, filled, `are ${are}, ${grouped(timed)} with a time, read so`));
    return { type: "timestamp" };
  }
  because("type", "date", fitting(fits, filled, `are ${are}, read so`));
  return { type: "date", formats: ["yyyy-MM-dd"] };
}

/** A date whose month is in words, with the step that reads it; dates in digits beside it are read by the same step. */
export function datesInWords(
  { filled, kinds, dateOrders }: ColumnProfile,
  digits: { readonly fits: number } | null,
  because: Because,
): Typed | null {
  const dates = kinds?.dates;
  if (!dates || dates.count + (digits?.fits ?? 0) < filled * ENOUGH) return null;
  const order = (dateOrders?.monthFirst ?? 0) > (dateOrders?.dayFirst ?? 0) ? "month first" : "day first";
  const doubt = dates.doubtful
    ? `; “${dates.doubtful}” is another month in another language that has all these names, so say which it is`
    : "";
  const { count: years = 0, example = "" } = dates.yearFirst ?? {};
  if (years > 0 && years === dates.count) {
    because(
      "cleanse",
      "dates with the year first",
      `${counted(years, "value")} ${years === 1 ? "is" : "are"} written so, such as ${example}`,
      { do: "written-date", order: "year first" },
    );
  } else {
    const named = dates.count - years;
    const others = years > 0 ? `; ${counted(years, "other")} with the year first, such as ${example}` : "";
    because(
      "cleanse",
      `dates in words, ${dates.languages.join(", ")}`,
      `${counted(named, "value")} ${named === 1 ? "has its" : "have their"} month in words${others}${doubt}`,
      { do: "written-date", order, languages: dates.languages },
    );
  }
  const fits = Math.min(filled, dates.count + (digits?.fits ?? 0));
  return daysOrMoments({ fits, filled, timed: dates.timed ?? 0 }, "days", because);
}
