import {
  fieldBehind,
  furtherFields,
  furtherOf,
  targetPlans,
  furtherPlan,
  validOf,
  type FurtherCounts,
} from "@/core/plan/further.ts";
import type { Further, FurtherField, Takes } from "@/core/plan/further-schema.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError, listed, quoted } from "@/core/kernel/problem.ts";
import type { TableRule } from "@/core/interop/table.ts";
import { ident, type Client, type Queryable } from "@/store/db.ts";
import { LEAVE, needsLeave, type Absent } from "./meet.ts";
import { brokenRules } from "./rules.ts";
import { TARGET, columnsByName, stagedColumns, tableOf } from "./target.ts";

/** How rows of further targets come of staged records, in SQL: which go there, what of them, and what is handed on. */

/** The column of staged records with the numbers of the further targets that they go to, where the plan has filters. */
export const INTO = "_into";

/** Staged records of a load, or of a release, which further targets are written from. */
export interface Sending {
  readonly client: Client;
  readonly plan: Plan;
  /** The quoted name of the staged records' table. */
  readonly staging: string;
  readonly absent?: Absent;
  /** The staged records say which cells are to leave what the target has. */
  readonly leaves: boolean;
  /** The day from which rows of a history hold, as ISO 8601. */
  readonly day: string;
}

/** One further target of a plan, with what it takes to write it. */
export interface Aim {
  readonly further: Further;
  /** Its number in the plan, by which filters speak of it. */
  readonly number: number;
  readonly plan: Plan;
  readonly columns: readonly FurtherField[];
  /** The quoted name of its rows' table before they are written. */
  readonly rows: string;
}

export const aimsOf = (plan: Plan): Aim[] =>
  furtherOf(plan).map((further) => {
    const number = plan.load.further!.indexOf(further);
    const columns = furtherFields(plan, further);
    return { further, number, plan: furtherPlan(plan, further), columns, rows: ident(`rows of target ${number}`) };
  });

export const nameOf = ({ schema, target }: { schema?: string | undefined; target: string }): string =>
  `${schema ?? TARGET}.${target}`;

/** One record may make several rows: these are told apart by a number of their own. */
export const ROW = '"_row"';

/** The SQL of what many records' values come to. */
const TAKEN: Readonly<Record<Takes, (value: string, order: readonly string[]) => string>> = {
  first: (value, order) => `(array_agg(${value} order by ${order.join(", ")}) filter (where ${value} is not null))[1]`,
  last: (value, order) =>
    `(array_agg(${value} order by ${order.map((o) => `${o} desc`).join(", ")}) filter (where ${value} is not null))[1]`,
  least: (value) => `min(${value})`,
  most: (value) => `max(${value})`,
  sum: (value) => `sum(${value})`,
  count: (value) => `count(${value})`,
};

/** How rows are made of staged records `s`. */
interface Making {
  readonly from: string;
  /** That a record goes there, and gives a row. */
  readonly goes: string;
  readonly gives: string;
  readonly values: ReadonlyMap<string, string>;
}

/**
 * @param hand false where nothing is written yet, so that what other tables hand on is not known: it counts as there
 */
async function makingOf({ client, plan, staging }: Sending, aim: Aim, hand: boolean): Promise<Making> {
  const { further, number, columns } = aim;
  const { each, key, where } = further;
  const source = (name: string): string => (name === each ? "e.value" : `s.${ident(name)}`);
  const joins: string[] =
    each === undefined ? [] : [`cross join lateral unnest(s.${ident(each)}) with ordinality e (value, n)`];
  const values = new Map<string, string>();
  for (const [i, column] of columns.entries()) {
    const behind = fieldBehind(column);
    if (!column.handed) {
      values.set(column.name, behind === undefined ? "s._record" : source(behind));
      continue;
    }
    const own = aim.plan.contract.fields[i]!;
    const type = stagedColumns({ ...aim.plan, contract: { fields: [own] } })[0]!.type;
    if (!hand) {
      values.set(column.name, `null::${type}`);
      continue;
    }
    joins.push(await joinHanding(client, plan, column.handed, { alias: `h${i}`, source }));
    values.set(column.name, `h${i}.${ident(column.handed.column)}::${type}`);
  }
  const known = key.filter((k) => hand || !columns.find((c) => c.name === k)?.handed);
  const filled = known.map((k) => `${values.get(k)!} is not null`);
  return {
    from: [`${staging} s`, ...joins].join(" "),
    goes: where === undefined ? "true" : `${number} = any(s.${ident(INTO)})`,
    gives: filled.length === 0 ? "true" : filled.join(" and "),
    values,
  };
}

/** A join with the row of a table that has the key which a record gives it; no row where there is none. */
async function joinHanding(
  client: Queryable,
  plan: Plan,
  { target }: { readonly target: string },
  { alias, source }: { alias: string; source: (name: string) => string },
): Promise<string> {
  const own = target === plan.load.target;
  const parent = own ? undefined : plan.load.further!.find((f) => f.target === target)!;
  const table = tableOf(parent ? furtherPlan(plan, parent) : plan);
  const have = await columnsByName(client, table);
  const on = (parent?.key ?? plan.load.key).map((name) => {
    const behind = parent ? fieldBehind(furtherFields(plan, parent).find((f) => f.name === name)!)! : name;
    return `${alias}.${ident(name)} = ${source(behind)}::${have.get(name)?.type ?? "text"}`;
  });
  const valid = parent ? validOf(parent) : null;
  if (valid) on.push(`${alias}.${ident(valid.until)} is null`);
  return `left join ${table} ${alias} on ${on.join(" and ")}`;
}

/** Makes the rows of a further target, in a table that goes with the transaction, and counts what they come of. */
export async function makeRows(
  sending: Sending,
  aim: Aim,
  hand: boolean,
): Promise<Pick<FurtherCounts, "records" | "filtered" | "none" | "sent" | "rows">> {
  const { client, staging } = sending;
  const { further, columns, rows } = aim;
  const { from, goes, gives, values } = await makingOf(sending, aim, hand);
  const { each, key } = further;
  const order = ["s._record", ...(each === undefined ? [] : ["e.n"])];
  const many = further.rows === "key";
  const types = new Map(stagedColumns(aim.plan).map((c) => [c.name, c.type]));
  const list = columns.map(({ name, takes }) => {
    const value = values.get(name)!;
    const what = many && !key.includes(name) ? TAKEN[takes ?? "first"](value, order) : value;
    return `(${what})::${types.get(name)!} as ${ident(name)}`;
  });
  const valid = validOf(further);
  if (valid) list.push(`'${sending.day}'::date as ${ident(valid.from)}`, `null::date as ${ident(valid.until)}`);
  const record = many ? "min(s._record)" : "s._record";
  const row = each === undefined ? [] : [`row_number() over (order by ${record})::int as ${ROW}`];
  const leave = sending.leaves && !many && each === undefined && needsLeave(aim.plan);
  const cells = leave ? [`${leftCells(sending.plan, columns)} as ${ident(LEAVE)}`] : [];
  const group = many ? ` group by ${key.map((k) => values.get(k)!).join(", ")}` : "";
  await client.query(
    `create temp table ${rows} on commit drop as select ${[`${record} as _record`, ...row, ...cells, ...list].join(", ")}
     from ${from} where ${goes} and ${gives}${group}`,
  );
  const { rows: counted } = await client.query<Record<"records" | "going" | "sent" | "rows", number>>(
    `select (select count(*) from ${staging})::int as records,
       (select count(*) from ${staging} s where ${goes})::int as going,
       ${many || each !== undefined ? `(select count(distinct s._record) from ${from} where ${goes} and ${gives})` : `(select count(*) from ${rows})`}::int as sent,
       (select count(*) from ${rows})::int as rows`,
  );
  const n = counted[0]!;
  return { records: n.records, filtered: n.records - n.going, none: n.going - n.sent, sent: n.sent, rows: n.rows };
}

/** The numbers of columns whose cells said to leave what the target has, by those of the fields behind them. */
function leftCells(plan: Plan, columns: readonly FurtherField[]): string {
  const pairs = columns.flatMap((c, d) => {
    const f = plan.contract.fields.findIndex((x) => x.name === fieldBehind(c));
    return f < 0 ? [] : [`(${f}, ${d})`];
  });
  return `(select array_agg(x.d) from (values ${pairs.join(", ")}) x (f, d) where x.f = any(s.${ident(LEAVE)}))`;
}

/** Two records can't be one row where each makes its own. Throws `row-twice`. */
export async function refuseTwice(client: Client, { further, rows }: Aim): Promise<void> {
  if (further.rows === "key" || further.key.length === 0) return;
  const key = further.key.map((k) => ident(k)).join(", ");
  const { rows: twice } = await client.query<{ n: number; records: number[]; value: string }>(
    `select count(*)::int as n, (array_agg(_record order by _record))[1:2] as records,
       concat_ws(', ', ${further.key.map((k) => `${ident(k)}::text`).join(", ")}) as value
     from ${rows} group by ${key} having count(*) > 1 order by min(_record) limit 1`,
  );
  const [found] = twice;
  if (!found) return;
  throw new SieveError(
    "row-twice",
    `${nameOf(further)} would get ${found.n} rows with the key ${quoted(found.value)}, of records ${found.records.join(" and ")}.`,
    {
      detail: `Its key is ${listed(further.key)}, and each record makes a row.`,
      hint: "Give it a key that its records do not share, or let all records with one key make one row.",
    },
  );
}

/** A rule of a further target, and the records whose rows it would refuse. */
export interface FurtherRefusal {
  readonly rule: TableRule;
  /** Its name, with the table's. */
  readonly name: string;
  readonly records: readonly number[];
}

/**
 * Staged records whose rows a further target would refuse by a rule of its own, where each record makes its own row. What
 * refers to tables that the same plan writes is left to the database.
 */
export async function refusedByFurther(sending: Sending): Promise<FurtherRefusal[]> {
  const { client, plan } = sending;
  const found: FurtherRefusal[] = [];
  const tables = targetPlans(plan).map(tableOf);
  for (const aim of aimsOf(plan)) {
    if (aim.further.rows !== "record" || aim.further.each !== undefined) continue;
    if ((await columnsByName(client, tableOf(aim.plan))).size === 0) continue;
    await makeRows(sending, aim, false);
    for (const { rule, from, where } of await brokenRules(client, aim.plan, aim.rows, { key: false, but: tables })) {
      const { rows } = await client.query<{ record: number }>(
        `select s.record_number as record from ${from} where ${where}`,
      );
      const name = `${aim.further.target}.${rule.name}`;
      if (rows.length > 0) found.push({ rule, name, records: rows.map((r) => r.record) });
    }
    await client.query(`drop table ${aim.rows}`);
  }
  return found;
}

/** Puts into staged records what tables hand on to the plan's own target that were written before it. */
export async function takeHanded({
  client,
  plan,
  staging,
}: Pick<Sending, "client" | "plan" | "staging">): Promise<void> {
  for (const { field, from } of plan.load.taken_from ?? []) {
    const join = await joinHanding(client, plan, from, { alias: "h", source: (n) => `s.${ident(n)}` });
    const type = stagedColumns(plan).find((c) => c.name === field)!.type;
    await client.query(
      `update ${staging} x set ${ident(field)} = h.${ident(from.column)}::${type}
       from ${staging} s ${join} where x._record = s._record and h.${ident(from.column)} is not null`,
    );
  }
}
