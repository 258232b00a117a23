import { utf8 } from "../kernel/bytes.ts";
import type { Field } from "../plan/types.ts";
import { typePart } from "../type/index.ts";
import { newNumberSpan, scanNumber } from "../type/number.ts";

/** The canonical bytes of a limit, or null when it is not a value of the field's type. */
export function limitBytes(field: Field, value: number | string): Uint8Array | null {
  const text = String(value);
  if (typePart(field.type).order === "number") {
    const bytes = utf8(text);
    return scanNumber(bytes, 0, bytes.length, newNumberSpan()) ? bytes : null;
  }
  if (field.type === "date") return /^\d{4}-\d{2}-\d{2}$/.test(text) ? utf8(text) : null;
  if (field.type === "timestamp") {
    const match = /^(\d{4}-\d{2}-\d{2})(?:[T ](\d{2}:\d{2})(?::(\d{2}))?)?Z?$/.exec(text);
    return match ? utf8(`${match[1]} ${match[2] ?? "00:00"}:${match[3] ?? "00"}.000000+00`) : null;
  }
  return null;
}
