import type { Compiled, Problem } from "../course/compiled.ts";
import { recheck } from "../course/recheck.ts";

/** A record's values by field, and what is wrong with them. */
interface Faulty {
  readonly values: readonly string[];
  readonly problems: readonly Pick<Problem, "field">[];
}

/**
 * The field whose value stands in the place of that of field `f`, and the other way round: both are wrong, and the record
 * passes with the two exchanged. Null where there is none, or more than one.
 */
export function swapOf(compiled: Compiled, f: number, record: Faulty): number | null {
  const names = new Set(record.problems.map((p) => p.field));
  const others = compiled.fields.flatMap((field, i) =>
    i !== f && names.has(field.name) && record.values[i] !== "" ? [i] : [],
  );
  const fit = others.filter((g) => {
    const values = [...record.values];
    [values[f], values[g]] = [values[g]!, values[f]!];
    return recheck(compiled, values).passes;
  });
  return fit.length === 1 ? fit[0]! : null;
}
