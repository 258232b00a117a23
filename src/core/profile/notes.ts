import { counted, grouped } from "../kernel/problem.ts";
import type { ColumnProfile } from "./facts.ts";

/** Which records of a delivery a note is about, as the records page is asked for them. */
export interface NoteRecords {
  readonly is: "value" | "blank" | "again" | "outside" | "case" | "number" | "no number";
  readonly value?: string;
}

/** What a steward would look at twice in a column, and the records that it is about. */
export interface Note {
  readonly says: string;
  readonly records: NoteRecords | null;
}

const CASES = ["upper", "lower", "mixed"] as const;

/** The usual way in which a column's letters are written, and how many values are written otherwise. */
export function casingOf({ casing }: Pick<ColumnProfile, "casing">): { usual: (typeof CASES)[number]; others: number } {
  const usual = CASES.reduce((best, c) => (casing[c] > casing[best] ? c : best));
  return { usual, others: CASES.reduce((n, c) => (c === usual ? n : n + casing[c]), 0) };
}

/** A value that stands in more than this share of a column may be what a program puts there by itself. */
const DEFAULT_SHARE = 0.5;
/** Fewer values than these say nothing of what is usual. */
const FEW = 20;
/** A share below which values are slips among others. */
const SLIPS = 0.05;

/** What is to be looked at in a column, the gravest first. */
export function notesOf(c: ColumnProfile): Note[] {
  const list: Note[] = [];
  const note = (says: string, records: NoteRecords | null = null): void => void list.push({ says, records });
  const keyLike = c.numbers === null || c.numbers.part === 0;
  if (keyLike && c.repeats === 0 && c.filled === c.records && c.records > 1) note("could be a key");
  else if (keyLike && c.repeats !== null && c.repeats > 0 && c.repeats < c.filled * 0.01 && c.filled > 100) {
    note(`nearly a key: ${counted(c.repeats, "repeat")}`, { is: "again" });
  }
  for (const { value, count } of c.defaultDates ?? []) {
    note(`${grouped(count)} × ${value}, which programs put where they know no day`, { is: "value", value });
  }
  if ((c.future ?? 0) > 0) note(`${counted(c.future!, "day")} in the future`);
  if (c.dateOrders && c.dateOrders.dayFirst > c.dateOrders.either && c.dateOrders.monthFirst > c.dateOrders.either) {
    note("day and month in both orders");
  }
  const { written } = c.kinds ?? {};
  for (const [what, words] of [
    ["units", written?.units],
    ["currencies", written?.currencies],
  ] as const) {
    if ((words?.length ?? 0) > 1)
      note(
        `${what}: ${words!
          .slice(0, 4)
          .map((w) => `${w.word} ${grouped(w.count)}`)
          .join(", ")}`,
      );
  }
  if (c.numbers && c.filled >= FEW) {
    const numbers = c.numbers.count;
    if (numbers < c.filled * SLIPS) note(`${counted(numbers, "number")} among words`, { is: "number" });
    else if (numbers < c.filled && c.filled - numbers < c.filled * SLIPS)
      note(`${grouped(c.filled - numbers)} among numbers ${c.filled - numbers === 1 ? "is" : "are"} none`, {
        is: "no number",
      });
  }
  const [first] = c.common;
  if (first && c.filled >= FEW && c.distinct > 2 && first.count > c.filled * DEFAULT_SHARE) {
    const share = Math.round((first.count / c.filled) * 100);
    note(`${share} % have “${first.value.slice(0, 24)}”: it may be a default`, { is: "value", value: first.value });
  }
  if ((c.caseTwins ?? 0) > 0)
    note(`${counted(c.caseTwins!, "value")} ${c.caseTwins === 1 ? "differs" : "differ"} in case only`);
  if (c.loose > 0) note(`${grouped(c.loose)} with loose spaces`);
  if (c.blank > 0) note(`${grouped(c.blank)} of spaces only`, { is: "blank" });
  const nothing = c.nothing.reduce((n, w) => n + w.count, 0);
  if (nothing > 0) {
    const words = c.nothing.map((w) => w.value);
    note(`${grouped(nothing)} × ${words.slice(0, 3).join(" ")}`, { is: "value", value: words[0]! });
  }
  if (c.numbers && c.numbers.outliers > 0) {
    const fences = c.numbers.fences;
    note(
      `${grouped(c.numbers.outliers)} far out`,
      fences ? { is: "outside", value: `${fences[0]}..${fences[1]}` } : null,
    );
  }
  if (c.numbers && c.numbers.leadingZeros > 0) note("numbers that begin with 0");
  const { usual, others } = casingOf(c);
  const cased = c.casing.upper + c.casing.lower + c.casing.mixed;
  if (cased > FEW && others > 0 && others < cased * 0.1)
    note(`${grouped(others)} in another case`, { is: "case", value: usual });
  return list;
}
