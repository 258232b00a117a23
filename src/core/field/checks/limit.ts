import { utf8 } from "../../kernel/bytes.ts";
import { typePart } from "../../type/index.ts";
import { newNumberSpan, scanNumber } from "../../type/number.ts";
import type { Typed } from "../../type/typed.ts";

/** The canonical bytes of a limit, or null when it is not a value of the field's type. */
export function limitBytes(field: Typed, value: number | string): Uint8Array | null {
  const part = typePart(field.type);
  if (part.order(field) === "number") {
    const bytes = utf8(String(value));
    return scanNumber(bytes, 0, bytes.length, newNumberSpan()) ? bytes : null;
  }
  const text = part.limit?.(String(value)) ?? null;
  return text === null ? null : utf8(text);
}
