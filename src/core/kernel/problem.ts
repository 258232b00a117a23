/**
 * An error that a person can act on: what is wrong with which thing (`message`), the facts
 * (`detail`) and what to do (`hint`). `code` is stable and machine-readable.
 *
 * Everything that is the user's or the file's doing is thrown as one of these. Any other error is
 * a defect of ours, or of the machine.
 */
export class SieveError extends Error {
  readonly code: string;
  readonly detail: string;
  readonly hint: string;
  /** Facts for a program, such as the number of the earlier load of the same bytes. */
  readonly facts: Readonly<Record<string, string | number>>;

  constructor(
    code: string,
    message: string,
    options: { detail?: string; hint?: string; facts?: Record<string, string | number> } = {},
  ) {
    super(message);
    this.name = "SieveError";
    this.code = code;
    this.detail = options.detail ?? "";
    this.hint = options.hint ?? "";
    this.facts = options.facts ?? {};
  }
}

/** The three lines that a shell or a log shows for any error. */
export function errorLines(error: unknown): string {
  if (error instanceof SieveError) {
    const lines = [`error: ${error.message}`];
    if (error.detail) lines.push(`detail: ${error.detail}`);
    if (error.hint) lines.push(`hint: ${error.hint}`);
    return lines.join("\n");
  }
  return `error: ${error instanceof Error ? error.message : String(error)}`;
}

/** An error as parts for a screen; what is no fault of the user's or the file's keeps its words to itself. */
export function problemParts(error: unknown): { code: string; message: string; detail: string; hint: string } {
  if (error instanceof SieveError) {
    return { code: error.code, message: error.message, detail: error.detail, hint: error.hint };
  }
  return { code: "failure", message: "Something failed here that should not have.", detail: "", hint: "Try again." };
}

/** A value as messages quote it: at most `most` characters, control characters made visible. */
export function quoted(value: string, most = 60): string {
  const visible = value.replace(/[\u0000-\u001f\u007f]/g, (c) =>
    c === "\n" ? "⏎" : c === "\t" ? "⇥" : c === "\u007f" ? "␡" : String.fromCharCode(0x2400 + c.charCodeAt(0)),
  );
  return `“${visible.length > most ? `${visible.slice(0, most - 1)}…` : visible}”`;
}

/** Bytes in the largest unit of which there is one, with two digits below ten: “4.1 MB”, “312 kB”, “0 B”. */
export function byteSize(bytes: number): string {
  const UNITS = ["B", "kB", "MB", "GB", "TB"];
  let [size, unit] = [bytes, 0];
  while (size >= 999.5 && unit < UNITS.length - 1) {
    size /= 1000;
    unit++;
  }
  return `${unit > 0 && size < 9.95 ? size.toFixed(1) : Math.round(size)} ${UNITS[unit]}`;
}

/** A whole number with digits grouped by commas, whatever the locale of the machine. */
export function grouped(n: number | bigint): string {
  return String(n).replace(/\B(?=(\d{3})+(?!\d))/g, ",");
}

/** “1 record”, “212 records”. */
export function counted(n: number, one: string, many = `${one}s`): string {
  return `${grouped(n)} ${n === 1 ? one : many}`;
}

/** Names in a list for a message; a long list is cut and says so. */
export function listed(names: readonly string[], most = 12): string {
  const shown = names.slice(0, most).map((n) => (n.length > 40 ? `${n.slice(0, 39)}…` : n));
  return names.length > most ? `${shown.join(", ")} and ${names.length - most} more` : shown.join(", ");
}
