import { editDistance } from "../kernel/distance.ts";
import type { ColumnProfile } from "../profile/facts.ts";
import type { Field } from "../field/field.ts";
import { plainName } from "./columns.ts";

/** A column that a field could take, and what speaks for it. */
export interface Suggestion {
  readonly column: string;
  readonly why: string;
}

/** Of a column's values, so many must do for a field before it is suggested. */
const ENOUGH = 0.8;

/**
 * The column that a field has most likely moved to, among those that no field takes: by what is in
 * it, and by a name like one that the field has had, or by its place.
 * @param stood whether the column stands where a column of one of these names stood before
 */
export function suggestColumn(
  field: Field,
  columns: readonly ColumnProfile[],
  stood: (column: string, names: ReadonlySet<string>) => boolean = () => false,
): Suggestion | null {
  let best: (Suggestion & { score: number }) | null = null;
  const names = new Set([field.name, field.title ?? "", ...(field.also ?? [])].filter((n) => n !== "").map(plainName));
  for (const profile of columns) {
    if (profile.filled === 0) continue;
    const content = contentFit(field, profile);
    if (content < ENOUGH) continue;
    const why: string[] = [`${Math.round(content * 100)} % of its values would do`];
    let score = field.type === "text" && field.pattern === undefined ? 0 : content;
    const plain = plainName(profile.name);
    const near = [...names].some(
      (n) =>
        n.length > 3 &&
        (plain.includes(n) ||
          n.includes(plain) ||
          (Math.abs(n.length - plain.length) <= 2 && editDistance(n, plain) <= 2)),
    );
    if (near && plain.length > 2) {
      score += 1;
      why.push("its name is like one that the field has had");
    }
    if (stood(profile.name, names)) {
      score += 1;
      why.push("it stands where the field's column stood before");
    }
    if (score >= 1 && (!best || score > best.score)) best = { column: profile.name, score, why: why.join(", ") };
  }
  return best && { column: best.column, why: best.why };
}

/** The share of a column's values that would do for a field, from its profile. */
function contentFit(field: Field, c: ColumnProfile): number {
  const fits = (type: RegExp): number => Math.max(0, ...c.types.filter((t) => type.test(t.type)).map((t) => t.fits));
  switch (field.type) {
    case "integer":
      return fits(/^integer$/) / c.filled;
    case "decimal":
      return fits(/^(integer|decimal|written number)/) / c.filled;
    case "money":
      return fits(field.currency === undefined ? /^written number$/ : /^(integer|decimal|written number)/) / c.filled;
    case "date":
      return fits(/^(date|written date|short year)/) / c.filled;
    case "time":
      return c.types.filter((t) => t.type.startsWith("time ")).reduce((n, t) => n + t.fits, 0) / c.filled;
    case "uuid":
      return fits(/^UUID$/) / c.filled;
    case "json":
      return fits(/^JSON$/) / c.filled;
    case "timestamp":
      return fits(/^timestamp$/) / c.filled;
    case "boolean": {
      const words = new Set([...(field.words?.yes ?? []), ...(field.words?.no ?? [])].map((w) => w.toLowerCase()));
      return (
        c.common.filter((v) => words.has(v.value.trim().toLowerCase())).reduce((n, v) => n + v.count, 0) / c.filled
      );
    }
    case "code": {
      const values = new Set(field.values?.map((v) => v.toLowerCase()));
      return (
        c.common.filter((v) => values.has(v.value.trim().toLowerCase())).reduce((n, v) => n + v.count, 0) / c.filled
      );
    }
    default: {
      if (field.length !== undefined && c.length.mean > field.length) return 0;
      // Numbers and dates seldom become text of a sudden.
      return fits(/./) > c.filled * 0.9 ? 0 : 1;
    }
  }
}
