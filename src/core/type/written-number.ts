import { currencyWords } from "./currency.ts";
import { withoutExponent } from "./exponent.ts";

/** Marks that stand between groups of digits somewhere, and spaces of any kind. */
const GROUPS = /[\s\u00a0\u202f\u2009'’٬.,_](?=\d)/g;
/** Signs before or behind, and brackets that mean less than nothing in accounts. */
const SIGNS = /^[-+\u2212\u2013(\s]+|[-+\u2212\u2013)\s]+$/gu;

/** Marks that only say in which direction a line runs. */
const DIRECTIONS = /[\u200e\u200f\u061c]/g;
/** The first of each of Unicode's runs of decimal digits, within the basic plane. */
function zerosOf(): readonly number[] {
  return Array.from({ length: 0xffff }, (_, code) => code).filter(
    (code) => /\p{Nd}/u.test(String.fromCharCode(code)) && !/\p{Nd}/u.test(String.fromCharCode(code - 1)),
  );
}

let zeros: readonly number[] | null = null;

/** A text with the decimal digits of any script in ASCII. */
export function asciiDigits(text: string): string {
  if (!/[^\u0000-\u007f]/.test(text)) return text;
  return text.replace(/\p{Nd}/gu, (digit) => {
    const code = digit.charCodeAt(0);
    const known = (zeros ??= zerosOf());
    return digit.length > 1 ? digit : String((code - known.findLast((z) => z <= code)!) % 10);
  });
}

/** A number with a power of ten behind it, as programs write what is very small or large. */
const POWER = /^([-+\u2212]?)(\d+)(?:([.,\u066b'])(\d+))?[eE]([-+\u2212]?)(\d{1,3})$/;

/** The number that a power of ten is written behind, in plain digits; null where it is none, or of absurdly many digits. */
function withPower(text: string, mark: string): string | null {
  const [, sign, whole, own, part, direction, power] = POWER.exec(text) ?? [];
  if (whole === undefined || (own !== undefined && own !== mark)) return null;
  const minus = (of: string | undefined): string => (of === "-" || of === "\u2212" ? "-" : "");
  const plain = withoutExponent(`${minus(sign)}${whole}${part ? `.${part}` : ""}e${minus(direction)}${power}`);
  return plain.includes("e") ? null : plain;
}

/**
 * The number that a text writes, in plain digits with a decimal point, or null; currency words are passed over.
 * @param mark the mark before the decimals
 * @param share 12 % is 0.12, and not 12
 */
export function plainNumber(text: string, mark: string, share: boolean): string | null {
  let t = text.replace(DIRECTIONS, "").trim();
  if (/[\p{L}\p{Sc}]/u.test(t)) t = t.replace(currencyWords(), "").trim();
  t = asciiDigits(t);
  if (/[eE]/.test(t)) return withPower(t, mark);
  const percent = /[%٪]$|^[%٪]/.test(t);
  if (percent) t = t.replace(/[%٪]$|^[%٪]/, "").trim();
  const signs = [...t.matchAll(SIGNS)].join("").replace(/\s/g, "");
  // One sign, or brackets around it all: of two nobody knows what is meant.
  if (signs.length > 1 && signs !== "()") return null;
  const negative = signs !== "" && signs !== "+";
  if (signs.length === 1 && /[()]/.test(signs)) return null;
  t = t.replace(SIGNS, "");
  const at = t.lastIndexOf(mark);
  const whole = at < 0 ? t : t.slice(0, at);
  const part = at < 0 ? "" : t.slice(at + 1);
  if (whole.includes(mark) || !/^\d*$/.test(part) || (whole === "" && part === "")) return null;
  const groups = whole.split(GROUPS);
  const between = whole.match(GROUPS) ?? [];
  if (!groups.every((g) => /^\d*$/.test(g)) || between.some((g) => g !== between[0])) return null;
  const [first, ...others] = groups as [string, ...string[]];
  const threes = others.every((g) => g.length === 3);
  // In India all groups but the last have two digits, with commas between.
  const twos =
    mark === "." &&
    between[0] === "," &&
    others.at(-1)?.length === 3 &&
    others.slice(0, -1).every((g) => g.length === 2);
  if ((!threes && !twos) || (others.length > 0 && (first.length > 3 || first === ""))) return null;
  const digits = groups.join("") || "0";
  const plain = percent && share ? shifted(digits, part) : part === "" ? digits : `${digits}.${part}`;
  return negative ? `-${plain}` : plain;
}

/** Digits divided by a hundred, none lost. */
function shifted(whole: string, part: string): string {
  const padded = whole.padStart(3, "0");
  const result = `${padded.slice(0, -2)}.${padded.slice(-2)}${part}`.replace(/0+$/, "").replace(/\.$/, "");
  return result.replace(/^0+(?=\d)/, "");
}
