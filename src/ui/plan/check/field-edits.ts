import type { Field } from "@/core/plan/field.ts";
import { typePart, type TypeId } from "@/core/type/index.ts";
import type { SettingsLine } from "@/core/type/part.ts";

/** The settings of a field's type in one line of text; nothing for a type that has none. */
export const lineOf = (type: TypeId): SettingsLine<Field> | undefined =>
  typePart(type).line as SettingsLine<Field> | undefined;

/** A field with one property set, or taken out when the value is undefined. */
export function withProperty(field: Field, more: Partial<Record<keyof Field, unknown>>): Field {
  const next = { ...field, ...more } as Record<string, unknown>;
  for (const key of Object.keys(next)) if (next[key] === undefined) delete next[key];
  return next as unknown as Field;
}

/** A field with the settings of its type as a line of text says them. */
export function withSettings(field: Field, line: string): Field {
  const none = Object.fromEntries(Object.keys(typePart(field.type).options).map((option) => [option, undefined]));
  return withProperty(field, { ...none, ...lineOf(field.type)?.take(line) });
}

/** A field with another type: what belongs to the old type alone is dropped. */
export function withType(field: Field, type: TypeId): Field {
  const { name, title, also, required, unique, on_failure } = field;
  const kept = withProperty({ name, type } as Field, { title, also, required, unique, on_failure });
  return { ...kept, ...lineOf(type)?.take(type === "text" ? String(field.length ?? "") : "") };
}

export type Property = "required" | "unique" | "least" | "most" | "pattern" | "on failure" | "type";
