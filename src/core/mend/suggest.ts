import { printCheck } from "../check/identity.ts";
import { withoutAccents } from "../cleanse/accents.ts";
import { usualDate } from "../cleanse/written-date.ts";
import { editDistance } from "../kernel/distance.ts";
import { plainNumber } from "../type/written-number.ts";
import type { Compiled, Problem } from "../course/compiled.ts";
import type { Field } from "../plan/types.ts";
import { recheck } from "../course/recheck.ts";
import { counted } from "../kernel/problem.ts";
import type { MendMade } from "./remembered.ts";

/** A held record as mends are looked for: its values by field as they would be checked. */
export interface ToMend {
  readonly id: string;
  readonly values: readonly string[];
  readonly problems: readonly Pick<Problem, "check">[];
}

/** One value that could stand in place of another, and what would come of it. */
export interface Mend {
  readonly field: string;
  readonly from: string;
  readonly to: string;
  /** Why it is thought of, in a few words. */
  readonly because: string;
  /** Records that have the value; those of them that would pass all checks with the other. */
  readonly records: readonly string[];
  readonly releases: number;
}

interface Idea {
  readonly to: string;
  readonly because: string;
}

const plain = (text: string): string =>
  withoutAccents(text)
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "");

/**
 * Letters that a word needs for one, and for two, of them to be taken for slips: of fewer, another word is as likely. A
 * letter that stands for another makes another word far sooner (Iran and Iraq) than one that is lost, doubled or has changed its place.
 */
const SLIPS: readonly { far: number; letters: number; changed: number }[] = [
  { far: 1, letters: 4, changed: 8 },
  { far: 2, letters: 6, changed: 11 },
];

/** Whether two texts are as long, and differ in so many letters that stand for others. */
function onlyChanged(a: string, b: string, far: number): boolean {
  return a.length === b.length && [...a].filter((c, i) => c !== b[i]).length === far;
}

const wordsOf = (text: string): string[] =>
  withoutAccents(text)
    .toLowerCase()
    .match(/[\p{L}\p{N}]+/gu) ?? [];

/** The letters of two texts in which their words differ: those between the first words and the last that they share. */
function differing(a: string, b: string): [string, string] {
  const [x, y] = [wordsOf(a), wordsOf(b)];
  let head = 0;
  while (head < Math.min(x.length, y.length) && x[head] === y[head]) head++;
  let tail = 0;
  while (tail < Math.min(x.length, y.length) - head && x.at(-1 - tail) === y.at(-1 - tail)) tail++;
  return [x.slice(head, x.length - tail).join(""), y.slice(head, y.length - tail).join("")];
}

/**
 * The one allowed value that a text is like, but for case and marks or a letter or two. Slips are few beside the letters of
 * the word that they are in, and nearer to the value than half the way to any other allowed one: past that, the text is
 * as good a word as they are (the bound of Hamming, 1950, for what can be corrected).
 */
function nearestCode(value: string, allowed: readonly string[]): Idea | null {
  const own = plain(value);
  if (own === "") return null;
  const same = allowed.filter((a) => plain(a) === own);
  if (same.length === 1) return { to: same[0]!, because: "the same but for case and marks" };
  const near = allowed
    .map((to) => ({ to, far: editDistance(own, plain(to)) }))
    .filter(({ far }) => far <= SLIPS.at(-1)!.far)
    .sort((a, b) => a.far - b.far);
  const [first] = near;
  // Two that are alike near: a person must say which.
  if (!first || near[1]?.far === first.far) return null;
  const [from, into] = differing(value, first.to);
  const { letters, changed } = SLIPS.find(({ far }) => first.far <= far)!;
  if (Math.max(from.length, into.length) < (onlyChanged(from, into, first.far) ? changed : letters)) return null;
  const apart = Math.min(...allowed.filter((a) => a !== first.to).map((a) => editDistance(plain(first.to), plain(a))));
  if (first.far * 2 >= apart) return null;
  return { to: first.to, because: first.far === 1 ? "one letter away" : "two letters away" };
}

const YES = new Set("yes y true t 1 x ja j oui o si s ano tak igen kyllä".split(" "));
const NO = new Set("no n false f 0 - nein non ne nie nem ei nej".split(" "));

/** A day in one of the field's own forms. */
function inForm(day: string, formats: readonly string[]): string | null {
  if (formats.includes("yyyy-MM-dd")) return day;
  const [year, month, date] = day.split("-") as [string, string, string];
  const format = formats.find((f) => /^[yMd./\- ]+$/.test(f) && !f.includes("MMM"));
  return (
    format?.replace(/yyyy|MM|M|dd|d/g, (piece) =>
      piece === "yyyy"
        ? year
        : piece.startsWith("M")
          ? piece.length === 2
            ? month
            : String(Number(month))
          : piece.length === 2
            ? date
            : String(Number(date)),
    ) ?? null
  );
}

/** What a value of a field could have been meant as; the most likely first. */
function ideas(field: Field, value: string, formats: readonly string[]): Idea[] {
  const found: Idea[] = [];
  const add = (to: string | null, because: string): void => {
    if (to !== null && to !== value && !found.some((i) => i.to === to)) found.push({ to, because });
  };
  switch (field.type) {
    case "code": {
      const near = nearestCode(value, field.values ?? []);
      if (near) add(near.to, near.because);
      break;
    }
    case "boolean": {
      const word = plain(value) || value.trim();
      if (YES.has(word)) add(field.words?.yes[0] ?? "true", "another word for yes");
      if (NO.has(word)) add(field.words?.no[0] ?? "false", "another word for no");
      break;
    }
    case "integer":
    case "decimal": {
      // Units and notes around one number.
      const [bare] = /[-+\u2212(]?\d[\d\s.,'’\u00a0\u202f]*\d|\d/.exec(value) ?? [];
      for (const [text, because] of [
        [value, "the number as people write it"],
        [bare ?? "", "the number in it"],
      ] as const) {
        for (const mark of [".", ","]) add(plainNumber(text, mark, false), because);
      }
      break;
    }
    case "date":
    case "timestamp":
      for (const order of ["day first", "month first"] as const) {
        const day = usualDate(value, order);
        if (day) add(inForm(day, formats), `the day as written, ${order}`);
      }
      break;
    default: {
      const trimmed = value.trim().replace(/\s+/g, " ");
      add(trimmed.toUpperCase(), "in capitals");
      add(trimmed.replace(/[\s_./]+/g, "-"), "with hyphens");
      add(trimmed.replace(/[\s_./]+/g, "-").toUpperCase(), "in capitals, with hyphens");
      add(
        trimmed.replace(/(?<=[\d-])[Oo](?=[\d-]|$)/g, "0").replace(/(?<=[\d-])[Il](?=[\d-]|$)/g, "1"),
        "digits that were typed as letters",
      );
      add(trimmed.replace(/\s+/g, ""), "without spaces");
    }
  }
  return found;
}

/** What a value has been mended to before, where that was always the same. */
function asBefore(field: string, value: string, made: readonly MendMade[]): Idea[] {
  const own = made.filter((m) => m.field === field && m.from === value);
  if (own.length !== 1) return [];
  return [{ to: own[0]!.to, because: `mended so in ${counted(own[0]!.records, "record")} before` }];
}

/**
 * Mends for the values of a field that fail a check, the one that releases most records first. Each is
 * tried on every record that has the value, by the same checks that a release makes; one that mends
 * nothing is not given. `check`: the key of the check that the records share; `made`: mends that people have made before.
 */
export function suggestMends(
  compiled: Compiled,
  check: string,
  records: readonly ToMend[],
  { most = 8, made = [] }: { most?: number; made?: readonly MendMade[] } = {},
): Mend[] {
  const own = compiled.checks.find((c) => c.key === check);
  // Only what one value alone makes wrong can be tried on it.
  if (!own || !(own.kind === "cell" || (own.kind === "rule" && own.rule.it >= 0))) return [];
  const f = own.fields[0]!;
  const field = compiled.fields[f]!;
  const formats = compiled.readAs[f]!.formats ?? [];
  const ofType = printCheck({ kind: "field", fields: [field.name], check: "type" });
  const byValue = new Map<string, ToMend[]>();
  for (const r of records) {
    const value = r.values[f]!;
    if (value === "" || !r.problems.some((p) => p.check === check)) continue;
    const list = byValue.get(value);
    if (list) list.push(r);
    else byValue.set(value, [r]);
  }
  const mends: Mend[] = [];
  for (const [from, having] of byValue) {
    for (const { to, because } of [...asBefore(field.name, from, made), ...ideas(field, from, formats)]) {
      const tried = having.map((r) =>
        recheck(
          compiled,
          r.values.map((v, i) => (i === f ? to : v)),
        ),
      );
      // It must mend what is wrong here, whatever else is wrong with a record.
      if (tried[0]!.problems.some((p) => p.check === check || p.check === ofType)) continue;
      const releases = tried.filter((t) => t.passes).length;
      mends.push({ field: field.name, from, to, because, records: having.map((r) => r.id), releases });
      break;
    }
  }
  return mends
    .sort((a, b) => b.releases - a.releases || b.records.length - a.records.length || (a.from < b.from ? -1 : 1))
    .slice(0, most);
}
