import { printCheck } from "@/core/check/identity.ts";
import type { Compiled, Problem } from "@/core/course/compiled.ts";
import { unmetProblem } from "@/core/course/problem-words.ts";
import { quoted } from "@/core/kernel/problem.ts";
import { targetPlans } from "@/core/plan/further.ts";
import { ident } from "@/store/db.ts";
import { ruleProblem } from "../load/late.ts";
import { addRefusals, addTo } from "../load/staged.ts";
import { refusedByFurther, type Sending } from "../writing/further-rows.ts";
import { columnsByName, sameKey, tableOf } from "../writing/target.ts";
import { WRITING, type Writing } from "../writing/writing.ts";

/** Takes records out of staging that the target would refuse, or that repeat what it has; gives their problems, by record. */
export async function takeRefused(
  sending: Sending,
  { compiled, load, writing }: { compiled: Compiled; load: number; writing: Writing },
): Promise<Map<number, Problem[]>> {
  const { client, staging } = sending;
  const { plan, fields } = compiled;
  const target = tableOf(plan);
  const found = new Map<number, Problem[]>();
  const columns = await columnsByName(client, target);
  const key = printCheck({ kind: "field", fields: plan.load.key, check: "unique" });
  for (const index of compiled.uniques) {
    const check = compiled.checks[index]!;
    const isKey = check.key === key;
    const names = check.fields.map((f) => fields[f]!.name);
    const list = names.map((n) => `s.${ident(n)}`).join(", ");
    const filled = names.map((n) => `s.${ident(n)} is not null`).join(" and ");
    const same = names.map((n) => `t.${ident(n)} = s.${ident(n)}${columns.has(n) ? `::${columns.get(n)!.type}` : ""}`);
    // A row with the key is written over, but for one that a record of the same release has just been written to.
    const together = isKey && plan.load.mode === "upsert";
    const whose = together ? [`t.${ident(WRITING)} = ${writing.id}`] : isKey ? [] : [`t."_load" = ${load}`];
    const where = [...same, ...whose].join(" and ");
    const { rows } = await client.query<{ record: number; load: number | null; there: boolean; own: string[] }>(
      `select * from (select s."_record" as record, t."_load" as load, t.there is not null as there,
             array[${names.map((n) => `s.${ident(n)}::text`).join(", ")}] as own,
             row_number() over (partition by ${list} order by s."_record") as turn
           from ${staging} s left join lateral (select t."_load", true as there from ${target} t where ${where} limit 1) t on true
           where ${filled}) x
         where x.there or x.turn > 1`,
    );
    const words = names.join(" and ");
    for (const row of rows) {
      const stands =
        row.there && !together
          ? `is in the target already${row.load === null ? "" : `, from load ${row.load}`}`
          : "comes with another record that is released with it";
      addTo(found, row.record, {
        check: check.key,
        field: names[0]!,
        value: row.own.join(", "),
        message: `${words} ${row.own.map((v) => quoted(v)).join(" and ")} ${stands}.`,
        expected: "a value that the target does not have yet",
        onFailure: check.onFailure,
      });
    }
  }
  if (plan.load.only === "update") {
    const key = plan.load.key;
    const { rows } = await client.query<{ record: number; own: string[] }>(
      `select s."_record" as record, array[${key.map((n) => `s.${ident(n)}::text`).join(", ")}] as own
       from ${staging} s where not exists (select from ${target} t where ${sameKey(key, columns)})`,
    );
    for (const { record, own } of rows) addTo(found, record, unmetProblem(key, own));
  }
  const [, ...further] = targetPlans(plan);
  await addRefusals(client, plan, staging, { key: plan.load.mode !== "upsert", found, but: further.map(tableOf) });
  for (const { rule, name, records } of plan.load.further ? await refusedByFurther(sending) : []) {
    for (const record of records) addTo(found, record, ruleProblem(name, rule, []));
  }
  const holding = [...found].filter(([, problems]) => problems.some((p) => p.onFailure !== "note"));
  await client.query(`delete from ${staging} where "_record" = any($1)`, [holding.map(([record]) => record)]);
  return new Map(holding);
}
