import { overlaps } from "@/core/check/between/overlaps.ts";
import { parent } from "@/core/check/between/parent.ts";
import { lateProblem } from "@/core/course/problem-words.ts";
import { betweenCheck, type Compiled, type CompiledCheck, type Problem } from "@/core/course/compiled.ts";
import { typePart } from "@/core/type/index.ts";
import { ident, type Client } from "@/store/db.ts";
import { tableOf, targetColumns } from "../writing/target.ts";

interface BetweenLoad {
  readonly id: number;
  readonly compiled: Compiled;
  /** Quoted names of the staging tables. */
  readonly staging: string;
  readonly stagingHeld: string;
  readonly targetExists: boolean;
}

/** Keys of the checks between records that hold a record. */
export function holdingBetween({ checks }: Compiled): string[] {
  return checks.filter((c) => c.kind === "between" && c.onFailure !== "note").map((c) => c.key);
}

/** The options of a check for parents that may be in the target; null for any other check. */
export function parentsInTarget(check: CompiledCheck): { fields: string[]; of: string[] } | null {
  const own = betweenCheck(check);
  return own?.check === parent.id && own["target"] === true
    ? (own as unknown as { fields: string[]; of: string[] })
    : null;
}

/**
 * Records that a check between records holds are no longer staged; returns how many. A parent that
 * the target has from before is found there first.
 */
export async function holdBetween(client: Client, load: BetweenLoad): Promise<number> {
  const { id, compiled, staging, stagingHeld } = load;
  if (load.targetExists && (compiled.plan.load.mode !== "replace" || compiled.plan.load.slice !== undefined)) {
    const has = new Set((await targetColumns(client, tableOf(compiled.plan))).map((c) => c.name));
    for (const check of compiled.checks) {
      const options = parentsInTarget(check);
      if (!options?.of.every((name) => has.has(name))) continue;
      const at = (name: string): number => compiled.fields.findIndex((f) => f.name === name);
      // Held records are in no typed table: their values are compared as they stand.
      for (const [table, record, value] of [
        [staging, "s._record", (name: string) => `s.${ident(name)}::text`],
        [stagingHeld, "s.record", (name: string) => `s.field_values ->> ${at(name)}`],
      ] as const) {
        const same = options.fields.map((name, i) => `t.${ident(options.of[i]!)}::text = ${value(name)}`);
        await client.query(
          `delete from sieve.late_problem l using ${table} s
           where l.load = $1 and l.check_key = $2 and l.record = ${record}
             and exists (select from ${tableOf(compiled.plan)} t where ${same.join(" and ")})`,
          [id, check.key],
        );
      }
    }
  }
  const holding = holdingBetween(compiled);
  if (holding.length === 0) return 0;
  const { rowCount } = await client.query(
    `delete from ${staging} s where exists (select from sieve.late_problem l
       where l.load = $1 and l.record = s._record and l.check_key = any($2))`,
    [id, holding],
  );
  return rowCount ?? 0;
}

/**
 * Problems of a record that is about to be released, seen beside what the target has by now: that
 * its parent is not there, or that its range overlaps one of its load. Gaps and sums are shown by a
 * whole delivery alone; who releases a record has looked at them.
 */
export async function apartInTarget(
  client: Client,
  load: number,
  compiled: Compiled,
  values: readonly string[],
): Promise<Problem[]> {
  const problems: Problem[] = [];
  const valueOf = (name: string): string => values[compiled.fields.findIndex((f) => f.name === name)] ?? "";
  const filled = (names: readonly string[]): boolean => names.every((n) => valueOf(n) !== "");
  const any = async (where: readonly string[], params: readonly (string | number | null)[]): Promise<boolean> => {
    const { rows } = await client.query<{ any: boolean }>(
      `select exists (select from ${tableOf(compiled.plan)} t where ${where.join(" and ")}) as any`,
      [...params],
    );
    return rows[0]!.any;
  };
  for (const check of compiled.checks) {
    const own = betweenCheck(check) as Record<string, unknown> | null;
    let detail: string | null = null;
    if (own?.["check"] === parent.id) {
      const [fields, of] = [own["fields"] as string[], own["of"] as string[]];
      // A record may be its own parent.
      if (!filled(fields) || fields.every((n, i) => valueOf(n) === valueOf(of[i]!))) continue;
      if (
        await any(
          of.map((n, i) => `t.${ident(n)} = $${i + 1}`),
          fields.map(valueOf),
        )
      )
        continue;
    } else if (own?.["check"] === overlaps.id) {
      const [from, to, by] = [own["from"] as string, own["to"] as string, (own["by"] ?? []) as string[]];
      if (!filled(by) || (valueOf(from) === "" && valueOf(to) === "")) continue;
      const beyond = own["meet"] === true ? "" : "=";
      const found = await any(
        [
          "t._load = $1",
          `(t.${ident(to)} is null or $2::text is null or t.${ident(to)} >${beyond} ${typed(compiled, from, 2)})`,
          `(t.${ident(from)} is null or $3::text is null or t.${ident(from)} <${beyond} ${typed(compiled, to, 3)})`,
          ...by.map((n, i) => `t.${ident(n)} = $${i + 4}`),
        ],
        [load, valueOf(from) || null, valueOf(to) || null, ...by.map(valueOf)],
      );
      if (!found) continue;
      detail = "overlaps a range that this load has put into the target";
    } else continue;
    const shown = check.fields.map((f) => values[f]!);
    problems.push(lateProblem(compiled, { check: check.key, other: null, detail }, shown, valueOf));
  }
  return problems;
}

/** A parameter that is a text until it has been asked whether it is there, as its field's type. */
function typed(compiled: Compiled, name: string, parameter: number): string {
  const field = compiled.fields.find((f) => f.name === name)!;
  return `$${parameter}::text::${typePart(field.type).sql(field)}`;
}
