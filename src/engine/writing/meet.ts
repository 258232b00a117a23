import { targetFields } from "@/core/plan/target-fields.ts";
import { BYTE, type Balance } from "@/core/kernel/ledger.ts";
import { KEPT_BECAUSE, arrivingOf, leavesOf, type KeptBecause, type KeptCells } from "@/core/plan/arriving.ts";
import type { Plan } from "@/core/plan/document.ts";
import { byHash, ident, withSettings, type Client } from "@/store/db.ts";
import { ledgerBlocks, putOutcomes } from "@/store/ledger.ts";
import {
  EXTRA,
  columnsByName,
  inTarget,
  plannedColumns,
  recordColumns,
  sameKey,
  staged,
  tableOf,
  type PlannedColumn,
} from "./target.ts";
import { DIFFERS, KEPT, PART, PLACE, type Writing } from "./writing.ts";

/** Memory in which the database may join an upsert's records with the target's rows. */
const JOIN_MEMORY = "64MB";

/** Cells of one field and cause whose records are kept to be looked at; all are counted. */
const MOST_KEPT = 10_000;

/** The column of staged records with the numbers of fields whose cells said to leave what is there. */
export const LEAVE = "_leave";

/** Fields whose column has not arrived: in no file, or in none of the files of some records. */
export interface Absent {
  readonly all: ReadonlySet<string>;
  /** By field: from which record to before which, of the load. */
  readonly some: ReadonlyMap<string, readonly (readonly [number, number])[]>;
}

const NONE_ABSENT: Absent = { all: new Set(), some: new Map() };

/** Staged records that are about to meet the target's rows. */
export interface Meeting {
  readonly plan: Plan;
  /** The quoted name of the staged records' table, with the column `_record` and one for each column of a record. */
  readonly staging: string;
  /** The quoted name of the table that is made of what is found. */
  readonly met: string;
  /** Goes when the transaction ends. */
  readonly temporary?: boolean;
  readonly absent?: Absent;
  /** The staged records have the column `_leave`. */
  readonly leaves?: boolean;
  /** They meet the row at the place in their column `_place`, and not by the key. */
  readonly byPlace?: boolean;
  /** The columns that are written, where those are not all of a record's. */
  readonly columns?: readonly string[];
  /** Their values are what the rows become, whatever the plan says of cells that arrive. */
  readonly asTheyAre?: boolean;
  /** A condition about rows `t` of the target that can be met; all can unless said. */
  readonly only?: string;
  /** The quoted column that tells them apart, where one record has several; `_record` unless said. */
  readonly row?: string;
}

/** What one field's cell does to the row that its record meets, in SQL: `s` is the record, `t` the row. */
interface Effect {
  readonly name: string;
  /** What the row has afterwards. */
  readonly becomes: string;
  /** That the row has something else afterwards. */
  readonly differs: string;
  /** Why the row keeps what it has, and where that is so. */
  readonly kept: readonly (readonly [KeptBecause, string])[];
}

function effectOf(
  { plan, absent = NONE_ABSENT, leaves, asTheyAre }: Meeting,
  name: string,
  at: number,
  column: PlannedColumn | undefined,
): Effect {
  const s = staged(name, column);
  const own = `s.${ident(name)}`;
  const t = column ? inTarget(name, column) : "null";
  // A column that the target is still to be given has nothing yet.
  if (!column) return { name, becomes: s, differs: `${own} is not null`, kept: [] };
  if (asTheyAre) return { name, becomes: s, differs: `${s} is distinct from ${t}`, kept: [] };
  // A row that is there stays, whatever comes; what would have changed it is counted.
  if (plan.load.only === "insert") {
    return {
      name,
      becomes: t,
      differs: "false",
      kept: [["only", `${own} is not null and ${s} is distinct from ${t}`]],
    };
  }
  if (name === EXTRA) {
    const merged = `case when ${own} is null then ${t} when ${t} is null then ${s} else ${t} || ${s} end`;
    return { name, becomes: merged, differs: `${merged} is distinct from ${t}`, kept: [] };
  }
  const { empty, leave, value } = arrivingOf(plan, name);
  const left = leaves && leave.length > 0 ? `coalesce(${at} = any(s.${ident(LEAVE)}), false)` : null;
  const away = (absent.some.get(name) ?? []).map(([from, to]) => `(s."_record" >= ${from} and s."_record" < ${to})`);
  const nothing = `${own} is null`;
  const something = `${own} is not null`;
  const has = `${t} is not null`;
  // Nothing has come of a cell that said so, and of a column that is not there.
  const spared = [...(left ? [left] : []), ...away];
  const clears = empty === "clear" && value !== "fix";
  const cleared = spared.length > 0 ? `${nothing} and not (${spared.join(" or ")})` : nothing;
  const came = value === "replace" ? s : `coalesce(${t}, ${s})`;
  const becomes = clears
    ? `case when ${cleared} then null when ${nothing} then ${t} else ${came} end`
    : value === "replace"
      ? `coalesce(${s}, ${t})`
      : came;
  const changes = value === "replace" ? `${something} and ${s} is distinct from ${t}` : `${something} and ${t} is null`;
  const differs = clears ? `(${changes}) or (${cleared} and ${has})` : changes;
  const kept: [KeptBecause, string][] = [];
  if (left) kept.push(["leave", `${left} and ${has}`]);
  const empties = [nothing, has, ...spared.map((x) => `not (${x})`)].join(" and ");
  if (empty === "keep") kept.push(["empty", empties]);
  else if (value === "fix") kept.push(["fix", empties]);
  if (value !== "replace") kept.push([value, `${something} and ${has} and ${s} is distinct from ${t}`]);
  return { name, becomes, differs, kept };
}

const columnsOf = ({ plan, columns }: Meeting): readonly string[] => columns ?? recordColumns(plan);

/** The fields whose cells can change nothing, as their column has come in no file. */
function untouchedFields(meeting: Meeting): ReadonlySet<string> {
  const { absent = NONE_ABSENT, asTheyAre } = meeting;
  return asTheyAre ? new Set() : new Set(columnsOf(meeting).filter((n) => absent.all.has(n)));
}

/**
 * Finds what staged records meet in the target, and what comes of it by the plan's rules of what
 * arriving cells may do: a row for each record that meets one, with that row's place, what it becomes, whether
 * that differs from what it is, and the fields of which a cell did not change what the row has. Records that are
 * not among them are new (`freshRecords`).
 */
export async function meet(meeting: Meeting, client: Client): Promise<void> {
  const { plan, staging, met } = meeting;
  const target = tableOf(plan);
  const have = await plannedColumns(client, plan);
  const { key } = plan.load;
  const names = columnsOf(meeting);
  const untouched = untouchedFields(meeting);
  const effects = new Map(
    names.map((n, i) => [n, effectOf(meeting, n, i, have.get(n))] as const).filter(([n]) => !key.includes(n)),
  );
  const touching = [...effects.values()].filter((e) => !untouched.has(e.name));
  const kept = touching.flatMap((e) =>
    e.kept.map(([because, where]) => ({ where: `(${where})`, code: keptCode(names.indexOf(e.name), because) })),
  );
  const column = (n: string): string => {
    const effect = effects.get(n);
    if (!effect) return `${staged(n, have.get(n))} as ${ident(n)}`;
    return `${untouched.has(n) ? (have.has(n) ? inTarget(n, have.get(n)!) : "null") : effect.becomes} as ${ident(n)}`;
  };
  // Just filled, so nothing is known of it; a look at a few hundred of its rows is enough.
  await withSettings(client, { default_statistics_target: "1" }, () => client.query(`analyze ${staging}`));
  const make = `create ${meeting.temporary ? "temp" : "unlogged"} table ${met} ${meeting.temporary ? "on commit drop " : ""}as`;
  if (plan.load.whole_record && !meeting.byPlace) {
    const values = names.map((n) => staged(n, have.get(n))).join(", ");
    await client.query(
      `${make} select s."_record", null::tid as ${PLACE}, null::oid as ${PART}, false as ${DIFFERS}, null::int[] as ${KEPT}
       from (select s.*, row_number() over (partition by ${values} order by s."_record") as "_ turn" from ${staging} s) s
       where s."_ turn" > 1 or exists (select from ${target} t where ${sameRecord(names, have)})`,
    );
    return;
  }
  const { rows } = await client.query<{ few: boolean; memory: boolean }>(
    `select pg_table_size($1::regclass) * 2 < pg_table_size($2::regclass) as few,
       pg_size_bytes(current_setting('work_mem')) < pg_size_bytes('${JOIN_MEMORY}') as memory`,
    [staging, target],
  );
  const settings = {
    jit: "off",
    parallel_setup_cost: "0",
    parallel_tuple_cost: "0",
    ...(rows[0]!.memory ? { work_mem: JOIN_MEMORY } : {}),
    // A few records look their rows up one by one; many are met in one pass over the target.
    ...(meeting.byPlace
      ? { enable_seqscan: "off", enable_mergejoin: "off" }
      : rows[0]!.few
        ? { enable_hashjoin: "off", enable_mergejoin: "off" }
        : { enable_nestloop: "off" }),
  };
  const on = meeting.byPlace ? `t.ctid = s."_place"` : sameKey(key, have);
  const differs = touching.map((e) => `(${e.differs})`).join(" or ");
  const any = kept.map((k) => k.where).join(" or ");
  const list = kept.map((k) => `case when ${k.where} then ${k.code} end`).join(", ");
  await withSettings(client, settings, () =>
    client.query(
      `${make} select s."_record", ${meeting.row ? `s.${meeting.row}, ` : ""}t.ctid as ${PLACE}, t.tableoid as ${PART}, ${differs || "false"} as ${DIFFERS},
         ${any ? `case when ${any} then array_remove(array[${list}], null) end` : "null::int[]"} as ${KEPT},
         ${names.map(column).join(", ")}
       from ${staging} s join ${target} t on ${on}${meeting.only === undefined ? "" : ` and ${meeting.only}`}`,
    ),
  );
}

/** The staged records that meet no row, as a from-clause of `s`. */
export function freshRecords({ staging, met, row = '"_record"' }: Pick<Meeting, "staging" | "met" | "row">): string {
  return `${staging} s where not exists (select from ${met} m where m.${row} = s.${row})`;
}

/** How many rows were met that change, and how many that stay as they are. */
export async function countMet({ met }: Meeting, client: Client): Promise<{ updated: number; unchanged: number }> {
  const { rows } = await client.query<{ updated: number; unchanged: number }>(
    `select count(*) filter (where ${DIFFERS})::int as updated, count(*) filter (where not ${DIFFERS})::int as unchanged from ${met}`,
  );
  return rows[0]!;
}

/** That a staged record and a row of the target have the same in all columns of a record; found by a hash of them. */
export function sameRecord(names: readonly string[], have: ReadonlyMap<string, PlannedColumn>): string {
  const own = names.filter((n) => have.has(n));
  const s = own.map((n) => staged(n, have.get(n)));
  const t = own.map((n) => inTarget(n, have.get(n)!));
  const hash = (list: readonly string[]): string => `hash_record_extended(row(${list.join(", ")}), 0)`;
  return [`${hash(s)} = ${hash(t)}`, ...own.map((_, i) => `${s[i]} is not distinct from ${t[i]}`)].join(" and ");
}

const keptCode = (field: number, because: KeptBecause): number =>
  field * KEPT_BECAUSE.length + KEPT_BECAUSE.indexOf(because);

/** Counts the cells that did not change what the target had, and keeps the records of some, with what stays there. */
export async function countKept({ plan, met }: Meeting, client: Client, load: number): Promise<KeptCells[]> {
  const { rows } = await client.query<{ code: number; n: number }>(
    `select c as code, count(*)::int as n from ${met}, unnest(${KEPT}) c where ${KEPT} is not null group by 1 order by 1`,
  );
  const names = recordColumns(plan);
  const found = rows.map(({ code, n }) => ({
    code,
    field: names[Math.floor(code / KEPT_BECAUSE.length)]!,
    because: KEPT_BECAUSE[code % KEPT_BECAUSE.length]!,
    cells: n,
  }));
  await client.query("delete from sieve.kept_cell where load = $1", [load]);
  for (const { code, field, because } of found) {
    await client.query(
      `insert into sieve.kept_cell (load, field, because, record, stays)
       select $1, $2, $3, "_record", coalesce(${ident(field)}::text, '') from ${met} where $4 = any(${KEPT}) order by "_record" limit ${MOST_KEPT}`,
      [load, field, because, code],
    );
  }
  return found.map(({ field, because, cells }) => ({ field, because, cells }));
}

/**
 * Writes what was met over its rows, and the others beside them; with `origin` a changed row is the record's from
 * now on; with `sure` the caller holds what was written against what it knows.
 */
export async function writeMet(
  writing: Writing,
  meeting: Meeting,
  { origin, sure = false }: { origin: boolean; sure?: boolean },
): Promise<void> {
  const { plan, met } = meeting;
  const columns = columnsOf(meeting);
  const untouched = untouchedFields(meeting);
  const changing = columns.filter((n) => !plan.load.key.includes(n) && !untouched.has(n));
  // Where the whole record is the key, what is met is as it is.
  if (!plan.load.whole_record || meeting.byPlace) await writing.change(met, changing, { origin, sure });
  if (meeting.byPlace) return;
  const fresh = freshRecords(meeting);
  await byHash(writing.client, () =>
    writing.insertStaged(fresh, sure ? null : `select count(*)::int as n from ${fresh}`),
  );
}

/** Keeps the rows that were met, and writes over them and beside them. */
export async function writeOver(writing: Writing, meeting: Meeting): Promise<void> {
  await writing.keepMet(meeting.met);
  await writeMet(writing, meeting, { origin: true });
}

let changes = 0;

/**
 * Changes rows of the target at their places to the values of a record by field, by the plan's rules for
 * arriving cells unless `asTheyAre`. The key stays, and so does where the row came from.
 * `before` is called with what was met, before it is written.
 */
export async function changeAt(
  writing: Writing,
  rows: readonly { at: string; values: readonly string[] }[],
  { asTheyAre = false, before }: { asTheyAre?: boolean; before?: (met: string) => Promise<void> } = {},
): Promise<void> {
  const { client, about, table } = writing;
  const { plan } = about;
  if (rows.length === 0) return;
  const moved = await writing.giveOrigins(rows.map((r) => r.at));
  const types = await columnsByName(client, table);
  const columns = plan.contract.fields.map((f) => f.name);
  const staging = ident(`values ${++changes}`);
  const met = ident(`met ${changes}`);
  const values = columns.map((n, i) => `nullif(x.v->>${i}, '')::${types.get(n)?.type ?? "text"} as ${ident(n)}`);
  await client.query(
    `create temp table ${staging} on commit drop as
     select x.n::int as "_record", x.at::tid as "_place", ${values.join(", ")}
     from jsonb_to_recordset($1::jsonb) as x (n int, at text, v jsonb)`,
    [JSON.stringify(rows.map((r, n) => ({ n, at: moved.get(r.at) ?? r.at, v: r.values })))],
  );
  const meeting: Meeting = {
    ...{ plan, staging, met, temporary: true, byPlace: true, asTheyAre },
    columns: targetFields(plan).map((f) => f.name),
  };
  await meet(meeting, client);
  await before?.(met);
  await writing.keepMet(met);
  await writeMet(writing, meeting, { origin: false });
  await client.query(`drop table ${staging}, ${met}`);
}

/** Puts what an upsert did, or would do, into the ledger and the balance. */
export async function countUpsert({ met }: Meeting, client: Client, load: number, balance: Balance): Promise<void> {
  // Packed into bytes by the database, a fifth of the time that rows would take; sorted here, half of the rest.
  await client.query(
    `declare met_records no scroll cursor for
     select string_agg(int4send("_record" * 2 + ${DIFFERS}::int), ''::bytea) as packed
     from ${met} group by "_record" / 65536 order by "_record" / 65536`,
  );
  let batch = new Uint32Array(0);
  let at = 0;
  const fetch = async (): Promise<void> => {
    const { rows } = await client.query<{ packed: Buffer }>("fetch 1 from met_records");
    const packed = rows[0]?.packed ?? Buffer.alloc(0);
    batch = Uint32Array.from({ length: packed.length / 4 }, (_, i) => packed.readUInt32BE(i * 4)).sort();
    at = 0;
  };
  await fetch();
  const { outcomes: counts } = balance;
  counts.inserted = 0;
  for await (const block of ledgerBlocks(client, load)) {
    const { outcomes, firstRecord } = block;
    let changed = false;
    for (let r = 0; r < outcomes.length; r++) {
      if (outcomes[r] !== BYTE.inserted) continue;
      if (at === batch.length && at > 0) await fetch();
      const packed = at < batch.length ? batch[at]! : 0;
      if (at === batch.length || packed >>> 1 !== firstRecord + r) {
        counts.inserted++;
        continue;
      }
      const differs = (packed & 1) === 1;
      outcomes[r] = differs ? BYTE.updated : BYTE.unchanged;
      counts[differs ? "updated" : "unchanged"]++;
      changed = true;
      at++;
    }
    if (changed) await putOutcomes(client, load, block);
  }
  if (at === batch.length && at > 0) await fetch();
  await client.query("close met_records");
  if (at < batch.length) {
    throw new Error(`record ${batch[at]! >>> 1} was written and the ledger does not have it`);
  }
}

/** Whether the plan has texts that mean “leave it as it is”, so that staged records need to say where they came. */
export function needsLeave(plan: Plan): boolean {
  return plan.load.mode === "upsert" && !plan.load.whole_record && leavesOf(plan).size > 0;
}
