import { checkPart, FIELD_CHECKS, type FieldCheck } from "@/core/field/checks/index.ts";
import { z } from "zod";
import type { Field } from "@/core/field/field.ts";
import { typePart, type TypeId } from "@/core/type/index.ts";
import type { SettingsLine } from "@/core/type/part.ts";

/** The settings of a field's type in one line of text; nothing for a type that has none. */
export const lineOf = (type: TypeId): SettingsLine<Field> | undefined =>
  typePart(type).line as SettingsLine<Field> | undefined;

/** A field with one property set, or taken out when the value is undefined. */
export function withProperty(field: Field, more: Readonly<Record<string, unknown>>): Field {
  const next = { ...field, ...more } as Record<string, unknown>;
  for (const key of Object.keys(next)) if (next[key] === undefined) delete next[key];
  return next as unknown as Field;
}

/** A field with the settings of its type as a line of text says them. */
export function withSettings(field: Field, line: string): Field {
  const none = Object.fromEntries(Object.keys(typePart(field.type).options).map((option) => [option, undefined]));
  return withProperty(field, { ...none, ...lineOf(field.type)?.take(line) });
}

/** A field with another type: what belongs to the old type alone is dropped, and checks that not every type can have. */
export function withType(field: Field, type: TypeId): Field {
  const { name, title, also, on_failure } = field;
  const ofAllTypes = FIELD_CHECKS.filter((id) => !checkPart(id).misfit).flatMap((id) => optionsOf(id));
  const kept = Object.fromEntries(ofAllTypes.map((option) => [option, (field as Record<string, unknown>)[option]]));
  const next = withProperty({ name, type } as Field, { title, also, ...kept, on_failure });
  return { ...next, ...lineOf(type)?.take(type === "text" ? String(field.length ?? "") : "") };
}

const optionsOf = (id: FieldCheck): string[] => Object.keys(checkPart(id).options);

/** A check that stands as a column in the table of fields, by its one option. */
export interface CheckColumn {
  readonly check: FieldCheck;
  readonly option: string;
  /** Something that is so or not, a text such as a pattern, a number, or a value of the field's type. */
  readonly kind: "yes" | "text" | "number" | "value";
}

function kindOf(id: FieldCheck): CheckColumn["kind"] {
  const schema = z.toJSONSchema(z.object(checkPart(id).options), { io: "input" });
  const [option] = Object.values(schema.properties ?? {}) as { type?: string }[];
  if (option?.type === "boolean") return "yes";
  if (option?.type === "string") return "text";
  return option?.type === "integer" || option?.type === "number" ? "number" : "value";
}

/** Checks as columns of the table of fields: those that are so or not first. */
export const CHECK_COLUMNS: readonly CheckColumn[] = FIELD_CHECKS.filter((id) => checkPart(id).inTable)
  .map((check) => ({ check, option: optionsOf(check)[0]!, kind: kindOf(check) }))
  .sort((a, b) => Number(b.kind === "yes") - Number(a.kind === "yes"));

/** Checks that have no column in the table, and options of their own. */
export const FURTHER_CHECKS: readonly FieldCheck[] = FIELD_CHECKS.filter(
  (id) => !checkPart(id).inTable && optionsOf(id).length > 0,
);

/** Whether a field of its type can have a check. */
export const canHave = (field: Field, check: FieldCheck): boolean =>
  (checkPart(check).misfit?.(field) ?? null) === null;

/** A field with the option of a check as somebody typed it; nothing typed takes it away. */
export function withChecked(field: Field, { check, option, kind }: CheckColumn, typed: string | boolean): Field {
  if (!canHave(field, check)) return field;
  if (typeof typed === "boolean") return withProperty(field, { [option]: typed || undefined });
  const text = kind === "text" ? typed : typed.trim();
  return withProperty(field, { [option]: text === "" ? undefined : kind === "number" ? Number(text) : text });
}
