import { editDistance } from "../kernel/distance.ts";
import { comparatorPart } from "./compare/index.ts";
import { soundex } from "./compare/phonetic.ts";
import { NAME_VARIANTS, variantsOf } from "./normalise.ts";
import type { WordOptions } from "./part.ts";
import { GIVEN_NAMES } from "./words.ts";
import { comparatorOptions, type MatchField } from "./schema.ts";

/**
 * What one compared field says about two values, in a few words: “equal”, “day and month change
 * places”, “Mel is short for Melisande”. `bits` is its share of the score.
 */
export function whyWords(field: MatchField, a: string, b: string, bits: number): string {
  const { by } = field;
  const options = comparatorOptions(field);
  const part = comparatorPart(by);
  const prepare = part.prepare(options);
  const [x, y] = [prepare(a), prepare(b)];
  if (x === "" || y === "") return x === y ? "empty on both sides" : "empty on one side";
  if (x === y) {
    const more = bits > 11 ? ", and rare" : bits < 1 ? ", which others have too" : "";
    return `${a === b ? "equal" : "equal but for how it is written"}${more}`;
  }
  if (by === "date") return dateWords(x, y);
  if (by === "number") return bits > 0 ? "nearly the same number" : "another number";
  if (by === "distance")
    return `${Math.round((1 - part.compare(options)(x, y)) * (options["km"] as number) * 10) / 10} km apart`;
  if (by === "overlap") return bits > 0 ? "some values in common" : "hardly any value in common";
  const [p, q] = [x.split(" "), y.split(" ")];
  if ([...p].sort().join(" ") === [...q].sort().join(" ")) return "the same words in another order";
  if (p.join("") === q.join("")) return "the same but for spaces";
  const [left, right] = [p.filter((w) => !q.includes(w)), q.filter((w) => !p.includes(w))];
  if (left.length === 0 || right.length === 0) {
    return `${[...left, ...right].join(" ")} is on one side only`;
  }
  if (left.length === 1 && right.length === 1) {
    const [u, v] = [left[0]!, right[0]!];
    const [short, long] = u.length < v.length ? [u, v] : [v, u];
    if (by === "person" && short.length === 1 && long.startsWith(short)) return "an initial against a name";
    const own = options["variants"] as WordOptions["variants"];
    const forms = own ? variantsOf(GIVEN_NAMES, own) : NAME_VARIANTS;
    if (by === "person" && forms.get(u)?.some((n) => forms.get(v)?.includes(n))) {
      return `${short} is a form of ${long}`;
    }
    if (long.startsWith(short) && short.length >= 3) return "abbreviated";
    const edits = editDistance(u, v);
    if (edits === 1) return swapped(u, v) ? "two letters change places" : "one letter differs";
    if (edits === 2 && long.length > 4) return "two letters differ";
    if (soundex(u) === soundex(v) && u.charCodeAt(0) > 57) return "sounds alike";
    if (bits > 0) return "alike";
    return "different";
  }
  if (by === "person" && left.every((u) => right.some((v) => u[0] === v[0] && (u.length === 1 || v.length === 1)))) {
    return "initials against names";
  }
  return bits > 0 ? "alike in most words" : "different";
}

function dateWords(a: string, b: string): string {
  const [y, m, d] = a.split("-");
  const [v, n, e] = b.split("-");
  if (y === v && m === e && d === n) return "day and month change places";
  const other = [y === v ? "" : "year", m === n ? "" : "month", d === e ? "" : "day"].filter((w) => w !== "");
  if (editDistance(a, b) === 1) return "one digit differs";
  return other.length === 1
    ? `another ${other[0]}`
    : other.length === 2
      ? `another ${other.join(" and ")}`
      : "another day altogether";
}

function swapped(a: string, b: string): boolean {
  return a.length === b.length && [...a].sort().join("") === [...b].sort().join("");
}

/** A stretch of a text, and whether the other text has it at this place. */
export interface Stretch {
  readonly text: string;
  readonly same: boolean;
}

/** Both texts in stretches that they have in common and stretches that only one has: the longest common subsequence (Hirschberg, 1977), for texts of up to some hundred letters. */
export function stretchesOf(a: string, b: string): [Stretch[], Stretch[]] {
  const [x, y] = [Array.from(a).slice(0, 400), Array.from(b).slice(0, 400)];
  const table = Array.from({ length: x.length + 1 }, () => new Uint16Array(y.length + 1));
  for (let i = x.length - 1; i >= 0; i--) {
    for (let j = y.length - 1; j >= 0; j--) {
      table[i]![j] = x[i] === y[j] ? table[i + 1]![j + 1]! + 1 : Math.max(table[i + 1]![j]!, table[i]![j + 1]!);
    }
  }
  const left: Stretch[] = [];
  const right: Stretch[] = [];
  const put = (list: Stretch[], letter: string, same: boolean): void => {
    const last = list.at(-1);
    if (last?.same === same) list[list.length - 1] = { text: last.text + letter, same };
    else list.push({ text: letter, same });
  };
  let [i, j] = [0, 0];
  while (i < x.length || j < y.length) {
    if (i < x.length && j < y.length && x[i] === y[j]) {
      put(left, x[i++]!, true);
      put(right, y[j++]!, true);
    } else if (j >= y.length || (i < x.length && table[i + 1]![j]! >= table[i]![j + 1]!)) put(left, x[i++]!, false);
    else put(right, y[j++]!, false);
  }
  return [left, right];
}
