import type { ColumnProfile, Profile } from "../metrics/profile.ts";
import type { Tally } from "../metrics/tally.ts";
import type { Compiled } from "../plan/compile.ts";
import type { Field } from "../plan/schema.ts";
import { grouped } from "../problem.ts";
import { proposeField } from "../propose.ts";
import type { FileFacts } from "../read/source.ts";
import { plainName } from "./columns.ts";

/** A difference between what came and what the plan, or the delivery before, would have. */
export interface Drift {
  readonly kind: "extra column" | "missing column" | "renamed column" | "reordered columns" | "changed type";
  /** The column or the field. */
  readonly name: string;
  readonly files: readonly string[];
  /** What is known of it, for a person. */
  readonly says?: string;
  /** For an extra column, the field that it would make; for a renamed one, the field with its new name. */
  readonly field?: Field;
}

export interface DriftInput {
  readonly compiled: Compiled;
  readonly files: readonly FileFacts[];
  /** What is in the columns that no field takes. */
  readonly extras: Profile | null;
  /** The columns of the files of the sender's delivery before. */
  readonly before: readonly (readonly string[])[];
  readonly tally: Tally;
}

/** Of a field's values, so many must not be of its type before the type is said to have changed. */
const RETYPED = 0.3;

/** Finds drift; each column is named once, with the files that it is in. */
export function findDrift(input: DriftInput): Drift[] {
  const { compiled, files } = input;
  const { map } = compiled.plan;
  const where = { extra: new Map<string, string[]>(), missing: new Map<string, string[]>() };
  for (const f of files) {
    for (const kind of ["extra", "missing"] as const) {
      for (const name of f[kind]) where[kind].set(name, [...(where[kind].get(name) ?? []), f.name]);
    }
  }
  const profiles = new Map(input.extras?.columns.map((c) => [c.name, c]));
  const found: Drift[] = [];
  const missing: Drift[] = [];
  const renamed = new Set<string>();
  for (const [name, inFiles] of where.missing) {
    const field = compiled.fields.find((f) => f.name === name)!;
    const guess = renameOf(
      field,
      [...where.extra.keys()].filter((c) => !renamed.has(c)),
      profiles,
      input,
    );
    if (!guess) {
      missing.push({ kind: "missing column", name, files: inFiles });
      continue;
    }
    renamed.add(guess.column);
    found.push({
      kind: "renamed column",
      name: guess.column,
      files: inFiles,
      says: `looks like ${name}: ${guess.why}`,
      field: { ...field, also: [...(field.also ?? []), guess.column] },
    });
  }
  for (const [name, inFiles] of where.extra) {
    if (renamed.has(name) || map.extra === "leave") continue;
    const profile = profiles.get(name);
    if (!profile) {
      found.push({ kind: "extra column", name, files: inFiles });
      continue;
    }
    const { field, reasons } = proposeField(profile, new Set(compiled.fields.map((f) => f.name)));
    // What is new in one delivery can't be demanded of the next.
    delete field.required;
    const type = reasons.find((r) => r.part === "type");
    const says = `${type?.says ?? "text"}, filled in ${grouped(profile.filled)} of ${grouped(profile.records)} records`;
    found.push({ kind: "extra column", name, files: inFiles, says, field });
  }
  found.push(...missing);
  if ((map.reordered ?? "leave") !== "leave") found.push(...reordered(input));
  compiled.fields.forEach((field, f) => {
    const check = compiled.checks.findIndex((c) => c.id === "type" && c.fields[0] === f);
    const filled = input.tally.filled[f]!;
    if (check < 0 || filled < 20) return;
    const wrong = input.tally.checks[check]!;
    if (wrong < filled * RETYPED) return;
    found.push({
      kind: "changed type",
      name: field.name,
      files: files.map((x) => x.name),
      says: `${grouped(wrong)} of ${grouped(filled)} values are not ${compiled.checks[check]!.title.replace(/^.* is /, "")}`,
    });
  });
  return found;
}

/** The extra column that a missing field's values have most likely moved to, and why. */
function renameOf(
  field: Field,
  columns: readonly string[],
  profiles: ReadonlyMap<string, ColumnProfile>,
  input: DriftInput,
): { column: string; why: string } | null {
  let best: { column: string; score: number; why: string } | null = null;
  const names = [field.name, field.title ?? "", ...(field.also ?? [])].filter((n) => n !== "").map(plainName);
  for (const column of columns) {
    const profile = profiles.get(column);
    if (!profile || profile.filled === 0) continue;
    const content = contentFit(field, profile);
    if (content < 0.8) continue;
    const why: string[] = [`${Math.round(content * 100)} % of its values would do`];
    let score = field.type === "text" && field.pattern === undefined ? 0 : content;
    const plain = plainName(column);
    const near = names.some((n) => n.length > 3 && (plain.includes(n) || n.includes(plain) || distance(n, plain) <= 2));
    if (near && plain.length > 2) {
      score += 1;
      why.push("its name is like one that the field has had");
    }
    const place = input.files.find((f) => f.columns.includes(column))?.columns.indexOf(column) ?? -1;
    const stood = input.before.some((c) => place >= 0 && c[place] !== undefined && names.includes(plainName(c[place])));
    if (stood) {
      score += 1;
      why.push("it stands where the field's column stood before");
    }
    if (score >= 1 && (!best || score > best.score)) best = { column, score, why: why.join(", ") };
  }
  return best;
}

/** The share of a column's values that would do for a field, from its profile. */
function contentFit(field: Field, c: ColumnProfile): number {
  const fits = (type: RegExp): number => Math.max(0, ...c.types.filter((t) => type.test(t.type)).map((t) => t.fits));
  switch (field.type) {
    case "integer":
      return fits(/^integer$/) / c.filled;
    case "decimal":
      return fits(/^(integer|decimal)/) / c.filled;
    case "date":
      return fits(/^date/) / c.filled;
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

/** Files whose columns are those of the delivery before, in another order. */
function reordered({ files, before }: DriftInput): Drift[] {
  const plain = (columns: readonly string[]): string[] => columns.map(plainName);
  const found: Drift[] = [];
  for (const f of files) {
    const now = plain(f.columns);
    const same = before
      .map(plain)
      .filter((b) => b.length === now.length && [...b].sort().join() === [...now].sort().join());
    if (same.length === 0 || same.some((b) => b.join() === now.join())) continue;
    const moved = f.columns.filter((_, i) => same[0]![i] !== now[i]);
    found.push({
      kind: "reordered columns",
      name: moved.slice(0, 6).join(", "),
      files: [f.name],
      says: `${moved.length} of ${f.columns.length} columns stand elsewhere than in the delivery before`,
    });
  }
  return found;
}

/** Damerau and Levenshtein's distance (restricted: no substring is edited twice; Boytsov, 2011), at most 3. */
function distance(a: string, b: string): number {
  if (Math.abs(a.length - b.length) > 2) return 3;
  const rows: number[][] = [Array.from({ length: b.length + 1 }, (_, j) => j)];
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      const cost = a[i - 1] === b[j - 1] ? 0 : 1;
      let d = Math.min(rows[i - 1]![j]! + 1, row[j - 1]! + 1, rows[i - 1]![j - 1]! + cost);
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) d = Math.min(d, rows[i - 2]![j - 2]! + 1);
      row.push(d);
    }
    rows.push(row);
  }
  return Math.min(3, rows[a.length]![b.length]!);
}
