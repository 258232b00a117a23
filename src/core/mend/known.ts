import { grouped } from "../kernel/problem.ts";
import type { Plan } from "../plan/document.ts";
import type { Field } from "../field/field.ts";

/** What the target's rows say of a field where another field has a value. */
export interface KnownValue {
  /** The other field, and its value. */
  readonly by: string;
  readonly value: string;
  /** What the field is in all rows that have it, as text, and how many those are. */
  readonly gives: string;
  readonly rows: number;
}

/** What is counted of one value of another field. */
export interface KnownCounts {
  readonly value: string;
  readonly gives: string;
  readonly rows: number;
  /** Share of all rows that have what it gives, whatever the other field is. */
  readonly share: number;
  /** Share of the other field's values, of those with several rows, of which all rows have the same. */
  readonly determined: number;
}

/** Rows of a value that say something of it. */
export const LEAST_ROWS = 3;
const DETERMINED = 0.95;
const BY_CHANCE = 0.001;

/** Whether rows that agree say more than that one value is frequent, or that they are few. */
export function isKnown({ rows, share, determined }: KnownCounts): boolean {
  return rows >= LEAST_ROWS && determined >= DETERMINED && share ** rows < BY_CHANCE;
}

/** The fields whose values may say what a field must be: texts and codes that are not told apart by it. */
export function knownBy({ contract, load }: Pick<Plan, "contract" | "load">, field: string): readonly Field[] {
  return contract.fields.filter(
    (f) => f.name !== field && (f.type === "text" || f.type === "code") && !f.unique && !load.key.includes(f.name),
  );
}

/** The one value that is known of a record's other fields; null where nothing is, or they contradict one another. */
export function knownOf(
  known: readonly KnownValue[],
  valueOf: (field: string) => string,
): { readonly to: string; readonly because: string } | null {
  const found = known.filter((k) => valueOf(k.by) === k.value);
  const [first] = found;
  if (!first || found.some((k) => k.gives !== first.gives)) return null;
  const most = found.reduce((a, b) => (b.rows > a.rows ? b : a));
  const rows = grouped(most.rows);
  return {
    to: first.gives,
    because: `so in all ${rows} rows with the same ${most.by} that were looked at in the target`,
  };
}
