/**
 * Writing delimited text (RFC 4180, CRLF). A file for programs is exact. In one for people (`guard`) a value that a
 * spreadsheet would take for a formula gets an apostrophe before it, which is the only change.
 */
export function csvRow(values: readonly string[], guard = false, delimiter = ","): string {
  return `${values.map((v) => csvCell(v, guard, delimiter)).join(delimiter)}\r\n`;
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

function csvCell(value: string, guard: boolean, delimiter: string): string {
  const text = guard ? guarded(value) : value;
  return /["\r\n]/.test(text) || text.includes(delimiter) || text !== text.trim()
    ? `"${text.replaceAll('"', '""')}"`
    : text;
}
