/**
 * Writing delimited text (RFC 4180, CRLF). A file for programs is exact. In one for people (`guard`) a value that a
 * spreadsheet would take for a formula gets an apostrophe before it, which is the only change.
 */
export function csvRow(values: readonly string[], guard = false, delimiter = ","): string {
  const special = specialOf(delimiter);
  let row = "";
  for (let i = 0; i < values.length; i++) row += (i > 0 ? delimiter : "") + csvCell(values[i]!, guard, special);
  return `${row}\r\n`;
}

/**
 * What a spreadsheet may run: a sign, also a wide one, at the beginning, after blanks or line ends, or at the beginning of
 * a later line, as some programs take each line of a cell by itself.
 */
const RUNS = /(?:^|[\r\n])[\s\u0000\u00a0\u200b-\u200f\u2060\ufeff]*[=+\-@|%＝＋－＠]|^[\t\r\n]/;
const NUMBER = /^[+-]?\d[\d.,]*$/;

/** A value with an apostrophe before it where a spreadsheet would run it. */
export function guarded(value: string): string {
  return RUNS.test(value) && !NUMBER.test(value) ? `'${value}` : value;
}

/** By delimiter: what a cell can't have without quotes. */
const specials = new Map<string, RegExp>();

function specialOf(delimiter: string): RegExp {
  let special = specials.get(delimiter);
  if (!special) {
    special = new RegExp(`["\\r\\n]|${delimiter.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")}`);
    specials.set(delimiter, special);
  }
  return special;
}

function csvCell(value: string, guard: boolean, special: RegExp): string {
  const text = guard ? guarded(value) : value;
  return special.test(text) || isLoose(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

const isPlain = (code: number): boolean => code > 32 && code < 128;

/** Whether a text begins or ends with white space, which some programs would take away. */
function isLoose(text: string): boolean {
  if (text === "" || (isPlain(text.charCodeAt(0)) && isPlain(text.charCodeAt(text.length - 1)))) return false;
  return text !== text.trim();
}
