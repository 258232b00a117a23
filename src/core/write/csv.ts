/**
 * Writing delimited text (RFC 4180, CRLF). A value that a spreadsheet would run as a formula gets
 * an apostrophe before it when `guard` is set: that is for files that people open, such as held
 * records; files that programs load again are written as they are.
 */
export function csvRow(values: readonly string[], guard = false): string {
  return `${values.map((v) => csvCell(v, guard)).join(",")}\r\n`;
}

function csvCell(value: string, guard: boolean): string {
  const text = guard && /^[=+\-@\t\r]/.test(value) && !/^[+-]?[\d.,]+$/.test(value) ? `'${value}` : value;
  return /[",\r\n]/.test(text) || text !== text.trim() ? `"${text.replaceAll('"', '""')}"` : text;
}
