import {
  assertFurther,
  fieldBehind,
  furtherFields,
  furtherOf,
  furtherPlan,
  furtherWords,
  validOf,
} from "@/core/plan/further.ts";
import type { FurtherCounts } from "@/core/plan/further.ts";
import type { Further, FurtherField, Takes, Valid } from "@/core/plan/further-schema.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError, listed, quoted } from "@/core/kernel/problem.ts";
import type { TableRule } from "@/core/interop/table.ts";
import { ident, type Client, type Queryable } from "@/store/db.ts";
import { alterTarget } from "./alterations.ts";
import { emptyTable } from "./existing-table.ts";
import { LEAVE, countMet, freshRecords, meet, needsLeave, writeOver, type Absent, type Meeting } from "./meet.ts";
import { Expected, reconcile } from "./reconcile.ts";
import { brokenRules } from "./rules.ts";
import { columnsByName, staged, stagedColumns, tableOf } from "./target.ts";
import { DIFFERS, PART, PLACE, WRITING, Writing, type AboutWriting } from "./writing.ts";

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
interface Aim {
  readonly further: Further;
  /** Its number in the plan, by which filters speak of it. */
  readonly number: number;
  readonly plan: Plan;
  readonly columns: readonly FurtherField[];
  /** The quoted name of its rows' table before they are written. */
  readonly rows: string;
}

const aimsOf = (plan: Plan): Aim[] =>
  furtherOf(plan).map((further) => {
    const number = plan.load.further!.indexOf(further);
    const columns = furtherFields(plan, further);
    return { further, number, plan: furtherPlan(plan, further), columns, rows: ident(`rows of target ${number}`) };
  });

const nameOf = ({ schema, target }: { schema?: string | undefined; target: string }): string =>
  `${schema ?? "target"}.${target}`;

/** One record may make several rows: these are told apart by a number of their own. */
const ROW = '"_row"';

/** The SQL of what many records' values come to. */
const TAKEN: Readonly<Record<Takes, (value: string, order: string) => string>> = {
  first: (value, order) => `(array_agg(${value} order by ${order}) filter (where ${value} is not null))[1]`,
  last: (value, order) => `(array_agg(${value} order by ${order} desc) filter (where ${value} is not null))[1]`,
  least: (value) => `min(${value})`,
  most: (value) => `max(${value})`,
  sum: (value) => `sum(${value})`,
  count: (value) => `count(${value})`,
};

/** The SQL of what a row of the same load and more records come to together: `t` is the row, `d` what the records came to. */
const TOGETHER: Readonly<Record<Takes, (t: string, d: string) => string>> = {
  first: (t, d) => `coalesce(${t}, ${d})`,
  last: (t, d) => `coalesce(${t}, ${d})`,
  least: (t, d) => `least(${t}, ${d})`,
  most: (t, d) => `greatest(${t}, ${d})`,
  sum: (t, d) => `case when ${t} is null then ${d} when ${d} is null then ${t} else ${t} + ${d} end`,
  count: (t, d) => `coalesce(${t}, 0) + ${d}`,
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
async function makeRows(
  sending: Sending,
  aim: Aim,
  hand: boolean,
): Promise<Pick<FurtherCounts, "records" | "filtered" | "none" | "sent" | "rows">> {
  const { client, staging } = sending;
  const { further, columns, rows } = aim;
  const { from, goes, gives, values } = await makingOf(sending, aim, hand);
  const { each, key } = further;
  const entry = each === undefined ? "" : ", e.n";
  const order = `s._record${entry}`;
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
async function refuseTwice(client: Client, { further, rows }: Aim): Promise<void> {
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

/** What the writings of further targets are beside the one of the plan's own: the same, of the same act. */
export function furtherWriting(own: Writing): Omit<AboutWriting, "plan"> {
  const { plan: _, ...about } = own.about;
  return { ...about, act: own.id };
}

/** The further targets of a plan, written from staged records in the order of the plan. */
export class FurtherTargets {
  private readonly aims: readonly Aim[];
  private readonly writings = new Map<Aim, Writing>();
  private readonly counted = new Map<Aim, FurtherCounts>();

  /** `about`: what the writings are, and whether rows that are newer are written over; none where nothing is written. */
  constructor(
    private readonly sending: Sending,
    private readonly about: (Omit<AboutWriting, "plan"> & { readonly over?: boolean }) | null = null,
  ) {
    this.aims = aimsOf(sending.plan);
  }

  /** What each was given and what became of it, in the order of writing. */
  get counts(): FurtherCounts[] {
    return [...this.counted.values()];
  }

  /** What would be written, where nothing is. */
  async weigh(): Promise<void> {
    const { client } = this.sending;
    for (const aim of this.aims) {
      const made = await makeRows(this.sending, aim, false);
      await refuseTwice(client, aim);
      let met = { updated: 0, unchanged: 0 };
      if (aim.plan.load.mode === "upsert" && (await columnsByName(client, tableOf(aim.plan))).size > 0) {
        const meeting = this.meeting(aim);
        await meet(meeting, client);
        met = await countMet(meeting, client);
        await client.query(`drop table ${meeting.met}`);
      }
      await client.query(`drop table ${aim.rows}`);
      this.count(aim, made, met);
    }
  }

  /** Writes those whose turn it is. Throws `row-twice`, `further-refused` and what a writing throws. */
  async write(turn: Further["turn"]): Promise<void> {
    for (const aim of this.aims.filter((a) => a.further.turn === turn)) {
      try {
        await this.writeOne(aim);
      } catch (error) {
        throw inWordsOf(error, aim.further);
      }
    }
  }

  private async writeOne(aim: Aim): Promise<void> {
    const { client } = this.sending;
    const { plan } = aim;
    await alterTarget(client, plan);
    const writing = await this.writingOf(aim);
    const made = await makeRows(this.sending, aim, true);
    await refuseTwice(client, aim);
    const load = this.about!.load;
    writing.expect(made.rows);
    const expected = new Expected(plan);
    let met = { updated: 0, unchanged: 0 };
    if (plan.load.mode === "upsert") {
      const meeting = this.meeting(aim);
      if (this.about!.kind === "release") await addToRows(client, aim, load);
      await meet(meeting, client);
      if (this.about!.kind === "release" && !this.about!.over) await leaveNewer(client, aim, meeting, writing);
      if (aim.further.mode === "insert only") await client.query(`update ${meeting.met} set ${DIFFERS} = false`);
      met = await countMet(meeting, client);
      const valid = validOf(aim.further);
      if (valid) {
        await this.writeHistory(aim, writing, { meeting, expected, valid });
        await client.query(`drop table ${meeting.met}, ${aim.rows}`);
        this.count(aim, made, met);
        return;
      }
      if (aim.further.mode === "update only") await client.query(`delete from ${freshRecords(meeting)}`);
      const have = await columnsByName(client, writing.table);
      expected.addUpsert(meeting, load, (n) => staged(n, have.get(n)));
      const totals = await expected.settle(client);
      await writeOver(writing, meeting);
      if (this.about!.kind === "load") await reconcile(writing, aim.rows, totals);
      await client.query(`drop table ${meeting.met}`);
    } else {
      if (plan.load.mode === "replace" && this.about!.kind === "load") {
        await writing.keepAll();
        await emptyTable(client, writing.table);
      }
      if (this.about!.kind === "release" && !this.about!.over && (await replacedSince(writing)))
        await client.query(`truncate ${aim.rows}`);
      await writing.insertStaged(`${aim.rows} s`, `select count(*)::int as n from ${aim.rows}`);
      const have = await columnsByName(client, writing.table);
      const own = (n: string): string =>
        n === "_load" ? `${load}` : n === "_record" ? "s._record" : staged(n, have.get(n));
      expected.add(`select ${expected.columns(own)} from ${aim.rows} s`);
      if (this.about!.kind === "load") await reconcile(writing, aim.rows, await expected.settle(client));
    }
    await client.query(`drop table ${aim.rows}`);
    this.count(aim, made, met);
  }

  /**
   * Writes a history: a row that changes holds until the day, and another from it on; one that holds only since that day
   * is changed in its place.
   */
  private async writeHistory(
    { rows, plan }: Aim,
    writing: Writing,
    { meeting, expected, valid }: { meeting: Meeting; expected: Expected; valid: Valid },
  ): Promise<void> {
    const { client, day } = this.sending;
    const { met } = meeting;
    const { table } = writing;
    const held = `${table} t on t.ctid = m.${PLACE} and t.tableoid = m.${PART}`;
    const ending = ident("rows that end");
    const row = meeting.row ?? "_record";
    const values = meeting.columns!.map((n) => ident(n));
    await client.query(
      `create temp table ${ending} on commit drop as select m.* from ${met} m join ${held} where m.${DIFFERS} and t.${ident(valid.from)} < '${day}'`,
    );
    // What is left to be put there: what met nothing, and what takes the place of a row that ends.
    await client.query(
      `delete from ${rows} s using ${met} m where m.${row} = s.${row} and not exists (select from ${ending} e where e.${row} = s.${row});
       update ${rows} s set ${values.map((v) => `${v} = e.${v}`).join(", ")} from ${ending} e where e.${row} = s.${row};
       update ${met} m set ${DIFFERS} = false from ${ending} e where e.${row} = m.${row}`,
    );
    const days: readonly string[] = [valid.from, valid.until];
    const have = await columnsByName(client, table);
    const changed = expected.columns((n) => (days.includes(n) ? `t.${ident(n)}` : `m.${ident(n)}`));
    expected.add(`select ${changed} from ${met} m join ${held} where m.${DIFFERS}`);
    const ended = expected.columns((n) => (n === valid.until ? `'${day}'::date` : `t.${ident(n)}`));
    expected.add(`select ${ended} from ${ending} m join ${held}`);
    expected.add(`select ${expected.columns((n) => staged(n, have.get(n)))} from ${rows} s`);
    const totals = await expected.settle(client);
    await writing.keepMet(met);
    const others = meeting.columns!.filter((n) => !plan.load.key.includes(n));
    await writing.change(met, others, { origin: true, sure: false });
    await writing.mark(`select ${PLACE} as place, ${PART} as part from ${ending}`, valid.until, `'${day}'::date`);
    await writing.insertStaged(`${rows} s`, `select count(*)::int as n from ${rows}`);
    if (this.about!.kind === "load") await reconcile(writing, rows, totals);
    await client.query(`drop table ${ending}`);
  }

  /** Ends the writings of a turn; of a release those that wrote something. */
  async end(turn: Further["turn"]): Promise<void> {
    for (const [aim, writing] of this.writings) {
      if (aim.further.turn !== turn) continue;
      if (this.about!.kind === "load" || writing.inserted + writing.updated + writing.removed > 0) await writing.end();
    }
  }

  private async writingOf(aim: Aim): Promise<Writing> {
    const known = this.writings.get(aim);
    if (known) return known;
    const writing = await Writing.begin(this.sending.client, { ...this.about!, plan: aim.plan });
    this.writings.set(aim, writing);
    return writing;
  }

  private meeting({ further, columns, plan, rows, number }: Aim): Meeting {
    const { absent, leaves } = this.sending;
    const to = (fields: ReadonlySet<string>): string[] =>
      columns.flatMap((c) => (fields.has(fieldBehind(c) ?? "") ? [c.name] : []));
    const some = [...(absent?.some ?? [])].flatMap(([field, where]) =>
      to(new Set([field])).map((name) => [name, where] as const),
    );
    const valid = validOf(further);
    // Of a history the row that holds now is met, by the key without its day.
    const now = valid && {
      plan: { ...plan, load: { ...plan.load, key: further.key } },
      columns: columns.map((c) => c.name),
      only: `t.${ident(valid.until)} is null`,
    };
    return {
      plan,
      staging: rows,
      met: ident(`met of target ${number}`),
      temporary: true,
      ...now,
      leaves: leaves && further.rows === "record" && further.each === undefined && needsLeave(plan),
      ...(absent ? { absent: { all: new Set(to(absent.all)), some: new Map(some) } } : {}),
      ...(further.each === undefined ? {} : { row: ROW }),
    };
  }

  private count(
    aim: Aim,
    made: Awaited<ReturnType<typeof makeRows>>,
    met: { updated: number; unchanged: number },
  ): void {
    const { further } = aim;
    const fresh = made.rows - met.updated - met.unchanged;
    const became =
      further.mode === "insert only"
        ? { inserted: fresh, updated: 0, unchanged: 0, left: made.rows - fresh }
        : further.mode === "update only"
          ? { inserted: 0, ...met, left: fresh }
          : { inserted: fresh, ...met, left: 0 };
    const counts: FurtherCounts = { target: nameOf(further), words: furtherWords(further), ...made, ...became };
    assertFurther(counts);
    this.counted.set(aim, counts);
  }
}

/** What records of a release come to, together with the row that the other records of their load have made. */
async function addToRows(client: Client, { further, columns, plan, rows }: Aim, load: number): Promise<void> {
  if (further.rows !== "key") return;
  const have = await columnsByName(client, tableOf(plan));
  const set = columns
    .filter((c) => !further.key.includes(c.name))
    .map((c) => `${ident(c.name)} = ${TOGETHER[c.takes ?? "first"](`t.${ident(c.name)}`, `d.${ident(c.name)}`)}`);
  if (set.length === 0) return;
  const same = further.key.map((k) => `t.${ident(k)} = d.${ident(k)}::${have.get(k)!.type}`);
  const valid = validOf(further);
  if (valid) same.push(`t.${ident(valid.until)} is null`);
  await client.query(
    `update ${rows} d set ${set.join(", ")} from ${tableOf(plan)} t
     where ${same.join(" and ")} and t."_load" = ${load} and t.${ident(WRITING)} is not null`,
  );
}

/** Rows that something newer than the records' load has written stay as they are; a release of an older load's is no newer. */
async function leaveNewer(client: Client, { plan, further }: Aim, { met }: Meeting, writing: Writing): Promise<void> {
  const { load } = writing.about;
  // Where many records make a row, those of the same load are added up.
  const others = further.rows === "key" ? ` and t."_load" <> ${load}` : "";
  await client.query(
    `update ${met} m set ${DIFFERS} = false from ${tableOf(plan)} t, sieve.writing w
     where t.ctid = m.${PLACE} and t.tableoid = m.${PART} and m.${DIFFERS} and t.xmin = any(${writing.ours})
       and w.id = t.${ident(WRITING)} and not (w.kind = 'release' and w.load < ${load})${others}
       and w.turn > (select coalesce(max(l.turn), 0) from sieve.writing l
         where l.load = ${load} and l.kind = 'load' and l.target = $1)`,
    [writing.table],
  );
}

/** Whether a load after a release's own has replaced all rows of the target: what is older has no place there any more. */
async function replacedSince({ client, about, table }: Writing): Promise<boolean> {
  if (about.plan.load.mode !== "replace") return false;
  const { rows } = await client.query<{ since: boolean }>(
    `select exists (select from sieve.writing where target = $1 and kind = 'load' and load > $2 and undone_by is null) as since`,
    [table, about.load],
  );
  return rows[0]!.since;
}

/** A refusal of the database by a rule of the table, in words; any other fault as it is. */
function inWordsOf(error: unknown, further: Further): unknown {
  const { code, message, detail } = error as { code?: string; message: string; detail?: string };
  // Class 23 of SQL's states: a constraint of the table.
  if (error instanceof SieveError || !code?.startsWith("23")) return error;
  return new SieveError("further-refused", `${nameOf(further)} refuses a row: ${message}.`, {
    detail: detail ?? "",
    hint: "Nothing was written, to this table or any other. Let the plan hold such records, or filter them from that target.",
  });
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
  const tables = [plan, ...aimsOf(plan).map((a) => a.plan)].map(tableOf);
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
