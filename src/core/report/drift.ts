import type { ColumnProfile, Profile } from "../profile/facts.ts";
import type { Tally } from "../course/tally.ts";
import type { Compiled } from "../course/compiled.ts";
import type { Plan } from "../plan/document.ts";
import type { Field } from "../field/field.ts";
import { grouped } from "../kernel/problem.ts";
import { proposeField } from "../profile/propose.ts";
import type { FileFacts } from "../read/facts.ts";
import type { CodesSeen } from "../course/codes.ts";
import { plainName } from "../map/columns.ts";
import { suggestColumn } from "../map/suggest.ts";

/** A difference between what came and what the plan, or the delivery before, would have. */
export interface Drift {
  readonly kind:
    | "extra column"
    | "missing column"
    | "renamed column"
    | "reordered columns"
    | "changed type"
    | "changed codes";
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
  readonly codes?: readonly CodesSeen[];
}

/** Of a field's values, so many must not be of its type before the type is said to have changed. */
const RETYPED = 0.3;
/** A value outside of a code's list is new, and no slip, from this share of the filled values on. */
const NEW_CODE = 0.002;

/** What the plan says about a kind of drift. */
export function driftPolicy({ map }: Plan, kind: Drift["kind"]): "leave" | "note" | "hold" | "stop" | "keep" {
  switch (kind) {
    case "extra column":
    case "renamed column":
      return map.extra;
    case "missing column":
      return map.missing ?? "note";
    case "reordered columns":
      return map.reordered ?? "leave";
    case "changed type":
      return map.retyped ?? "note";
    case "changed codes":
      return map.codes ?? "note";
  }
}

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
    const free = [...where.extra.keys()].filter((c) => !renamed.has(c)).flatMap((c) => profiles.get(c) ?? []);
    const guess = suggestColumn(field, free, (column, names) => {
      const place = files.find((f) => f.columns.includes(column))?.columns.indexOf(column) ?? -1;
      return input.before.some((c) => place >= 0 && c[place] !== undefined && names.has(plainName(c[place])));
    });
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
    found.push(newColumn(input, name, inFiles, profile));
  }
  found.push(...missing);
  if ((map.reordered ?? "leave") !== "leave") found.push(...reordered(input));
  found.push(...changedFields(input));
  return found;
}

/** A column that no field takes, as the field that it would be. */
function newColumn({ compiled }: DriftInput, name: string, files: readonly string[], profile: ColumnProfile): Drift {
  const { field, reasons } = proposeField(profile, new Set(compiled.fields.map((f) => f.name)));
  // What is new in one delivery can't be demanded of the next.
  delete field.required;
  const type = reasons.find((r) => r.part === "type");
  const says = `${type?.says ?? "text"}, filled in ${grouped(profile.filled)} of ${grouped(profile.records)} records`;
  return { kind: "extra column", name, files, says, field };
}

/** Fields whose values are of another type than before, or have codes that are not in their list. */
function changedFields(input: DriftInput): Drift[] {
  const { compiled, files } = input;
  const { map } = compiled.plan;
  const found: Drift[] = [];
  compiled.fields.forEach((field, f) => {
    const check = compiled.checks.findIndex((c) => c.kind === "cell" && c.isType && c.fields[0] === f);
    const filled = input.tally.filled[f]!;
    if (check < 0 || filled < 20) return;
    const codes = input.codes?.find((c) => c.field === field.name);
    if (codes && (map.codes ?? "note") !== "leave") {
      // Not a slip of the pen, but something that comes again and again.
      const fresh = codes.unknown.filter((u) => u.value !== "" && u.count >= Math.max(5, filled * NEW_CODE));
      if (fresh.length > 0) {
        found.push({
          kind: "changed codes",
          name: field.name,
          files: files.map((x) => x.name),
          says: `not in its list: ${fresh
            .slice(0, 8)
            .map((u) => `${u.value} (${grouped(u.count)})`)
            .join(", ")}`,
          field: { ...field, values: [...(field.values ?? []), ...fresh.map((u) => u.value)] },
        });
        return;
      }
    }
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
