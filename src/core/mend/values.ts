import type { Compiled } from "../course/compiled.ts";

/** A held record's values, by the fields of the plan that held it, and what somebody has mended of it. */
export interface ToBeMended {
  readonly fields: readonly string[];
  readonly values: readonly string[];
  readonly mended: Readonly<Record<string, string>> | null;
}

/** The values of a held record under the plan in force: as they are mended now, as they were mended before, as they were. */
export function mendedValues(
  held: ToBeMended,
  edits: Readonly<Record<string, string>>,
  { fields }: Pick<Compiled, "fields">,
): string[] {
  return fields.map((f) => edits[f.name] ?? held.mended?.[f.name] ?? held.values[held.fields.indexOf(f.name)] ?? "");
}
