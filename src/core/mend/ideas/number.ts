import { currenciesIn } from "../../type/currency.ts";
import { asciiDigits, plainNumber } from "../../type/written-number.ts";
import type { Idea, IdeaMaker, Wrong } from "./part.ts";
import { readingsOf } from "./readings.ts";
import { multiplies, pointMoved, unitOf, unitOfField } from "./units.ts";

/** Runs of digits with what may stand between and before them, as numbers are written. */
const NUMBERS = /[-+\u2212]?\d+(?:[.,'’\u00a0\u202f ]\d+)*/g;
/** What says that the number is not the value: a bound, a range, a doubt. */
const BOUND = /[<>≤≥±~≈?]|\d\s*[-–—/×x*:]\s*\d/;
const ROUGHLY = /^(?:ca|circa|about|abt|approx|approximately|around|etwa|ungefähr|rund|env|environ|est|estimated)\.?$/i;

/** The one number in a text, what stands before it and behind it; null where there are more, or it is only a bound. */
function aloneIn(text: string): { number: string; before: string; behind: string } | null {
  const plain = asciiDigits(text).trim();
  if (BOUND.test(plain)) return null;
  const found = [...plain.matchAll(NUMBERS)];
  if (found.length !== 1) return null;
  const { 0: number, index } = found[0]!;
  const behind = plain.slice(index + number.length);
  // Written together with a letter it is the name of something, as 12a is, unless that is a unit.
  const [together = ""] = /^\p{L}+/u.exec(behind) ?? [];
  if (together !== "" && !unitOf(together)) return null;
  return { number, before: plain.slice(0, index).trim(), behind: behind.trim() };
}

const MARKS = [".", ","] as const;

/** Whether amounts can all be in one currency: $ 5 and 7 USD can, $ 5 and 7 € can't. */
function inOneCurrency(texts: readonly string[]): boolean {
  const named = texts.map((text) => currenciesIn(text)).filter((own) => own === null || own.size > 0);
  const [first] = named;
  if (first === undefined) return true;
  return first !== null && [...first].some((code) => named.every((own) => own?.has(code)));
}

/** The words behind a number, without what stands in brackets. */
const wordsBehind = (behind: string): string[] =>
  behind
    .replace(/[([].*$/, "")
    .trim()
    .split(/[\s,;]+/)
    .filter((w) => w !== "");

/** Numbers as people write them, with a unit or a note beside them; never one of several, and none of which only a bound is given. */
export const numberIdeas: IdeaMaker = ({ field, values }: Wrong) => {
  const own = unitOfField(field);
  const alone = new Map(values.map(({ value }) => [value, aloneIn(value)]));
  const marks = readingsOf(
    MARKS,
    values,
    (value) => alone.get(value)?.number ?? value,
    (text, mark) => plainNumber(text, mark, false),
  );
  // Without a unit of the field's own, all that stand beside its numbers must be the same.
  const beside = new Set(
    [...alone.values()].flatMap((a) => (a ? wordsBehind(a.behind).slice(0, 1) : [])).filter((w) => unitOf(w)),
  );
  const sameCurrency = inOneCurrency(values.map((v) => v.value));
  return ({ value, loads }) => {
    const ideas: Idea[] = [];
    // Of amounts in several currencies nobody can say which is the field's.
    if (!sameCurrency && currenciesIn(value)?.size !== 0) return ideas;
    const possible = marks(loads);
    const read = (text: string, because: string, power = 0): void => {
      // One that would be loaded as it stands is that number.
      const asItStands = possible.includes(".") && plainNumber(text, ".", false) === text;
      for (const mark of asItStands ? (["."] as const) : possible) {
        const number = plainNumber(text, mark, false);
        if (number === null) continue;
        ideas.push({ to: power === 0 ? number : pointMoved(number, power), because, eitherOf: "mark" });
      }
    };
    if (!BOUND.test(value)) read(value, "the number as people write it");
    const found = alone.get(value);
    if (!found) return ideas;
    const { number, before, behind } = found;
    const [first = ""] = wordsBehind(behind);
    const unit = unitOf(first);
    if (before !== "" && !before.split(/\s+/).every((w) => ROUGHLY.test(w))) return ideas;
    if (multiplies(first.toLowerCase())) return ideas;
    if (!unit) read(number, "the number in it");
    else if (!own) {
      if (beside.size === 1) read(number, `the number in it; all are in ${first}`);
    } else if (own.of === unit.of) {
      const power = (unit.power ?? 0) - (own.power ?? 0);
      read(number, power === 0 ? "the number in it, in the field’s unit" : `from ${first} to the field’s unit`, power);
    }
    return ideas;
  };
};
