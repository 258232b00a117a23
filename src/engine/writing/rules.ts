import type { TableRule } from "@/core/interop/table.ts";
import type { Plan } from "@/core/plan/document.ts";
import { ident, type Queryable } from "@/store/db.ts";
import { tableRules } from "./existing-table.ts";
import { inSlices } from "./slice.ts";
import { plannedColumns, recordColumns, staged, tableOf } from "./target.ts";

/** A rule of the target, and which staged records `s` it would refuse, in SQL. */
export interface BrokenRule {
  readonly rule: TableRule;
  /** A from-clause and a condition; `s.record_number` is the record. */
  readonly from: string;
  readonly where: string;
}

/**
 * The target's own rules (checks, unique and foreign keys, the key where `key` is asked for), each with the staged
 * records that it would refuse. The rules are the database's, word for word. Foreign keys to the tables in `but`, quoted
 * names, are passed over: their rows are still to be written.
 */
export async function brokenRules(
  client: Queryable,
  plan: Plan,
  staging: string,
  { key, but = [] }: { key: boolean; but?: readonly string[] },
): Promise<BrokenRule[]> {
  const table = tableOf(plan);
  const columns = [...(await plannedColumns(client, plan)).values()];
  const own = new Set(recordColumns(plan));
  const row = columns.map(
    (c) => `${own.has(c.name) && !c.pending ? staged(c.name, c) : `null::${c.type}`} as ${ident(c.name)}`,
  );
  const from = `(select s._record as record_number, ${row.join(", ")} from ${staging} s) s`;
  const found: BrokenRule[] = [];
  for (const rule of await tableRules(client, table)) {
    if (rule.refers !== null && but.includes(rule.refers)) continue;
    const unknown = columns.some((c) => rule.columns.includes(c.name) && !own.has(c.name) && c.filled);
    if ((rule.kind === "primary" && !key) || unknown) continue;
    const filled = rule.columns.map((c) => `s.${ident(c)} is not null`).join(" and ");
    let where: string;
    if (rule.kind === "check") where = `(${rule.sql}) is false`;
    else if (rule.kind === "foreign") where = `${filled} and (${rule.sql}) is not true`;
    else {
      const list = rule.columns.map((c) => ident(c)).join(", ");
      const same = (names: readonly string[]): string =>
        names.map((n) => `t.${ident(n)} = s.${ident(n)}`).join(" and ");
      const other = plan.load.mode === "upsert" && plan.load.key.length > 0 ? ` and not (${same(plan.load.key)})` : "";
      // What is replaced is in nobody's way.
      const stays = key || plan.load.slice === undefined ? "" : ` and not ${await inSlices(client, plan)}`;
      const there =
        plan.load.mode === "replace" && !key && stays === ""
          ? ""
          : ` or exists (select from ${table} t where ${same(rule.columns)}${other}${stays})`;
      where = `${filled} and (s.record_number in (select n.record_number from (select s.record_number,
            row_number() over (partition by ${list} order by s.record_number) as turn from ${from} where ${filled}) n where n.turn > 1)${there})`;
    }
    found.push({ rule, from, where });
  }
  return found;
}
