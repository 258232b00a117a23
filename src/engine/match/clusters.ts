import { keepCluster } from "@/core/match/survive.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import { SieveError, listed } from "@/core/kernel/problem.ts";
import { ident, transaction, type Client, type Db } from "@/store/db.ts";
import type { Cluster, ClusterMember } from "@/store/matches.ts";
import { getLoad } from "@/store/loads.ts";
import { noteRows, rowNow, type WritingKind } from "@/store/writings.ts";
import { referringKeys, refersTo } from "../writing/existing-table.ts";
import { contentMark } from "./records.ts";
import { changeAt } from "../writing/meet.ts";
import { compiledOfLoad } from "../load/rerun.ts";
import { columnsByName, tableOf } from "../writing/target.ts";
import { writeRecord } from "../writing/write-record.ts";
import { Writing, lockTarget } from "../writing/writing.ts";

/** A cluster of a load on the desk, with what is needed to change it. */
interface Open {
  readonly client: Client;
  readonly load: number;
  readonly feed: string;
  readonly compiled: Compiled;
  readonly writing: Writing;
}

async function open(client: Client, load: number, kind: WritingKind, by: string): Promise<Open> {
  const { feed, plan, state } = await getLoad(client, load);
  if (state !== "loaded") {
    throw new SieveError("wrong-state", `Load ${load} is ${state}, so its clusters can't be changed.`);
  }
  const compiled = await compiledOfLoad(client, load, plan);
  await lockTarget(client, feed, compiled.plan);
  const writing = await Writing.begin(client, { kind, feed, load, plan: compiled.plan, planId: plan, by });
  return { client, load, feed, compiled, writing };
}

async function clusterOf({ client, load }: Open, first: number): Promise<Cluster> {
  const { rows } = await client.query<Cluster>(
    "select first, members, kept, origins from sieve.cluster where load = $1 and first = $2 for update",
    [load, first],
  );
  if (!rows[0]) {
    throw new SieveError("no-cluster", `Load ${load} has no cluster of record ${first + 1}.`, {
      hint: "Look at the clusters again; someone else may have changed them.",
    });
  }
  return rows[0];
}

/** Where a member stands in the target when it is a row of its own: the load and the record that the row came from. */
function placeOf({ load }: Open, member: ClusterMember): [number, number] {
  return member.row ?? [load, member.record!];
}

/** A row of the target as it is now, held against what it was left as. */
interface Standing {
  readonly at: string;
  /** Its values by field, as texts. */
  readonly values: readonly string[];
  /** By field, whether it still has what it was left with. */
  readonly asLeft: readonly boolean[];
}

/** A row of the target as it is now. `left`: the values that it was left with. Throws `row-gone` when a later load has written it. */
async function rowAt(
  { client, compiled: { plan, fields } }: Open,
  [load, record]: readonly [number, number],
  left: readonly string[],
): Promise<Standing> {
  const types = await columnsByName(client, tableOf(plan));
  const now = fields.map((f) => `coalesce(t.${ident(f.name)}::text, '')`);
  const same = fields.map(
    (f, i) =>
      `t.${ident(f.name)} is not distinct from nullif($3::jsonb->>${i}, '')::${types.get(f.name)?.type ?? "text"}`,
  );
  const { rows } = await client.query<Standing>(
    `select t.ctid::text as at, array[${now.join(", ")}] as values, array[${same.join(", ")}] as "asLeft"
     from ${tableOf(plan)} t where t._load = $1 and t._record = $2 for update limit 2`,
    [load, record, JSON.stringify(left)],
  );
  if (rows.length !== 1) {
    throw new SieveError("row-gone", `Record ${record + 1} of load ${load} is no longer in the target as it was.`, {
      hint: "A later load has written it, so the cluster can't be changed any more.",
    });
  }
  return rows[0]!;
}

/** That a row which is to go has only what it was left with. Throws `row-changed`. */
function assertAsLeft(
  { compiled: { fields, plan } }: Open,
  { values, asLeft }: Standing,
  left: readonly string[],
): void {
  const changed = fields.flatMap((f, i) => (asLeft[i] ? [] : [{ name: f.name, was: left[i]!, now: values[i]! }]));
  if (changed.length === 0) return;
  const key = plan.load.key.map((k) => values[fields.findIndex((f) => f.name === k)]).join(", ");
  throw new SieveError(
    "row-changed",
    `The row ${key} would go, and somebody has changed ${listed(changed.map((c) => c.name))} in it since.`,
    {
      detail: changed.map((c) => `${c.name}: ${c.now || "nothing"}, left as ${c.was || "nothing"}`).join("\n"),
      hint: "Bring the changes to the row that is kept, and set these fields back to what they were; then it can be put to it.",
    },
  );
}

async function noteCluster({ client, writing, load }: Open, first: number): Promise<void> {
  await noteRows(client, writing.id, [await rowNow(client, "cluster", { load, first })]);
}

/** Takes a row out of the target. Throws `row-gone` where another table refers to it. */
async function removeAt({ client, writing, compiled }: Open, at: string): Promise<void> {
  const target = tableOf(compiled.plan);
  for (const referring of await referringKeys(client, target)) {
    const { child } = referring;
    await client.query(`lock table ${child} in share row exclusive mode`);
    const { rowCount } = await client.query(
      `select from ${target} t where t.ctid = $1::tid and exists (select from ${child} c where ${refersTo(referring)})`,
      [at],
    );
    if (rowCount) {
      throw new SieveError("row-gone", `The row can't be taken out of the target, as ${child} refers to it.`, {
        hint: `Change the rows of ${child} first, so that they refer to the record that is kept.`,
      });
    }
  }
  await writing.remove(`select ctid as place, tableoid as part from ${target} where ctid = '${at}'`);
}

/** What became of the row that is kept: the fields in which somebody has changed it since, which stay as they are. */
export interface ClusterChanged {
  readonly stays: readonly string[];
}

/** Makes the kept record anew of the members that are in the cluster, in the target and in the store. */
async function keepAgain(on: Open, cluster: Cluster, members: readonly ClusterMember[]): Promise<ClusterChanged> {
  const { client, compiled, load, writing } = on;
  const { plan, fields } = compiled;
  const inside = members.flatMap((m, i) => (m.split ? [] : [i]));
  const kept = keepCluster(
    plan.match!,
    fields,
    plan.load.key,
    inside.map((i) => members[i]!.values),
    plan.formulas,
  );
  const { at, values, asLeft } = await rowAt(on, placeOf(on, members[0]!), cluster.kept);
  const becomes = kept.values.map((value, i) => (asLeft[i] ? value : values[i]!));
  await changeAt(writing, [{ at, values: becomes }], { asTheyAre: true });
  await client.query("update sieve.cluster set members = $3, kept = $4, origins = $5 where load = $1 and first = $2", [
    load,
    cluster.first,
    JSON.stringify(members),
    JSON.stringify(kept.values),
    JSON.stringify(kept.from.map((i) => (i < 0 ? -1 : inside[i]!))),
  ]);
  return { stays: fields.flatMap((f, i) => (asLeft[i] ? [] : [f.name])) };
}

async function decide(
  { client, feed, compiled, writing }: Open,
  a: ClusterMember,
  b: ClusterMember,
  decision: "same" | "different" | null,
  by: string,
): Promise<void> {
  const [low, high] = [a, b].map((m) => contentMark(compiled, m.values)).sort();
  if (low === high) return;
  await noteRows(client, writing.id, [await rowNow(client, "match_decision", { feed, low, high })]);
  if (decision === null) {
    await client.query("delete from sieve.match_decision where feed = $1 and low = $2 and high = $3", [
      feed,
      low,
      high,
    ]);
    return;
  }
  await client.query(
    `insert into sieve.match_decision (feed, low, high, decision, decided_by) values ($1, $2, $3, $4, $5)
     on conflict (feed, low, high) do update set decision = excluded.decision, decided_by = excluded.decided_by, decided_at = now()`,
    [feed, low, high, decision, by],
  );
}

function memberAt(cluster: Cluster, at: number, split: boolean): ClusterMember {
  const member = cluster.members[at];
  if (!member || at === 0 || (member.split !== undefined) !== split) {
    throw new SieveError("no-member", `The cluster has no member ${at + 1} that this can be done to.`, {
      detail: at === 0 ? "The first one is the record that the others are put to." : "",
      hint: "Look at the clusters again; someone else may have changed them.",
    });
  }
  return member;
}

/**
 * Takes a member out of its cluster: it becomes a row of the target of its own, the kept record is
 * made anew of the others, and that they are different is known to all loads to come.
 */
export async function splitMember(
  db: Db,
  load: number,
  first: number,
  at: number,
  by: string,
): Promise<ClusterChanged> {
  return await transaction(db, async (client) => {
    const on = await open(client, load, "split", by);
    const cluster = await clusterOf(on, first);
    await noteCluster(on, first);
    const member = memberAt(cluster, at, false);
    const members = cluster.members.map((m, i) => (i === at ? { ...m, split: by } : m));
    const changed = await keepAgain(on, cluster, members);
    // An entry of a list is there by itself.
    if (!member.entry) await writeOut(on, member);
    for (const [i, other] of members.entries()) {
      if (i !== at && !other.split) await decide(on, member, other, "different", by);
    }
    await on.writing.end();
    return changed;
  });
}

/** Makes a member a row of the target of its own. Throws `row-refused`. */
async function writeOut(on: Open, member: ClusterMember): Promise<void> {
  const [rowLoad, record] = placeOf(on, member);
  const one = { load: rowLoad, record, values: member.values, after: 0 };
  const refused = await writeRecord(on.writing, on.compiled, one, { alone: true });
  if (refused) {
    throw new SieveError("row-refused", refused.message, {
      detail: refused.expected,
      hint: "It can't be a row of its own beside the kept record; mend the key first.",
    });
  }
}

/** Puts a member that was split off back into its cluster. Throws `row-changed` where its own row has been changed since. */
export async function putBack(db: Db, load: number, first: number, at: number, by: string): Promise<ClusterChanged> {
  return await transaction(db, async (client) => {
    const on = await open(client, load, "put back", by);
    const cluster = await clusterOf(on, first);
    await noteCluster(on, first);
    const { split: _, ...member } = memberAt(cluster, at, true);
    if (!member.entry) {
      const own = await rowAt(on, placeOf(on, member), member.values);
      assertAsLeft(on, own, member.values);
      await removeAt(on, own.at);
    }
    const members = cluster.members.map((m, i) => (i === at ? member : m));
    const changed = await keepAgain(on, cluster, members);
    for (const [i, other] of members.entries()) if (i !== at) await decide(on, member, other, null, by);
    await on.writing.end();
    return changed;
  });
}

/** A record of the target, alone or of several, that is to be put to a cluster. */
interface Joining {
  /** The load and the first record of its cluster; null for a row that is of none. */
  readonly cluster: readonly [number, number] | null;
  readonly place: readonly [number, number];
  readonly members: readonly ClusterMember[];
  /** What its row was left with. */
  readonly left: readonly string[];
}

/** Puts a record of the target to a cluster: its row goes, and that both are the same is known to all loads to come. */
async function join(on: Open, one: Cluster, joining: Joining, by: string): Promise<ClusterChanged> {
  const { client, writing } = on;
  const row = await rowAt(on, joining.place, joining.left);
  assertAsLeft(on, row, joining.left);
  await noteCluster(on, one.first);
  await removeAt(on, row.at);
  if (joining.cluster) {
    const [load, first] = joining.cluster;
    await noteRows(client, writing.id, [await rowNow(client, "cluster", { load, first })]);
    await client.query("delete from sieve.cluster where load = $1 and first = $2", [load, first]);
  }
  const changed = await keepAgain(on, one, [...one.members, ...joining.members]);
  await decide(on, one.members[0]!, joining.members[0]!, "same", by);
  await writing.end();
  return changed;
}

/**
 * Makes one cluster of two: the members of the second are put to the first, its row goes from the
 * target, and that both are the same is known to all loads to come. Throws `row-changed` where that row has been
 * changed since.
 */
export async function joinClusters(
  db: Db,
  load: number,
  first: number,
  other: number,
  by: string,
): Promise<ClusterChanged> {
  if (first === other) throw new SieveError("usage", "A cluster can't be joined with itself.");
  return await transaction(db, async (client) => {
    const on = await open(client, load, "join", by);
    const [one, two] = [await clusterOf(on, first), await clusterOf(on, other)];
    const place = placeOf(on, two.members[0]!);
    return await join(on, one, { cluster: [load, other], place, members: two.members, left: two.kept }, by);
  });
}

/**
 * Puts the row of the target that has a key to a cluster, with all records that it was made of, whichever load
 * wrote it. Throws `no-record` where no row has the key, `row-changed` as joining does.
 * @param key by field of the load's key
 */
export async function joinRow(
  db: Db,
  load: number,
  first: number,
  key: readonly string[],
  by: string,
): Promise<ClusterChanged> {
  return await transaction(db, async (client) => {
    const on = await open(client, load, "join", by);
    const one = await clusterOf(on, first);
    const joining = await rowOfKey(on, key);
    const [ownLoad, ownRecord] = placeOf(on, one.members[0]!);
    if (joining.place[0] === ownLoad && joining.place[1] === ownRecord) {
      throw new SieveError("usage", `The row ${key.join(", ")} is the one of this cluster.`, {
        hint: "Give the key of another row.",
      });
    }
    return await join(on, one, joining, by);
  });
}

/** The row that has a key, with the members of its cluster where it was made of several records. */
async function rowOfKey(on: Open, key: readonly string[]): Promise<Joining> {
  const { client, compiled } = on;
  const { plan, fields } = compiled;
  const said = key.join(", ");
  if (key.length !== plan.load.key.length) {
    throw new SieveError(
      "usage",
      `The key is ${listed(plan.load.key) || "of no field"}, and ${said || "nothing"} was given.`,
    );
  }
  const types = await columnsByName(client, tableOf(plan));
  const now = fields.map((f) => `coalesce(t.${ident(f.name)}::text, '')`);
  const has = plan.load.key.map(
    (name, i) => `t.${ident(name)} = nullif($1::jsonb->>${i}, '')::${types.get(name)?.type ?? "text"}`,
  );
  const { rows } = await client.query<{ load: number | null; record: number | null; values: string[] }>(
    `select t._load as load, t._record as record, array[${now.join(", ")}] as values from ${tableOf(plan)} t
     where ${has.join(" and ")} limit 2`,
    [JSON.stringify(key)],
  );
  const row = rows[0];
  if (!row || rows.length > 1) {
    const problem = row
      ? `Several rows of the target have the key ${said}.`
      : `No row of the target has the key ${said}.`;
    throw new SieveError("no-record", problem, { hint: `Give ${listed(plan.load.key)} as the target has it.` });
  }
  if (row.load === null || row.record === null) {
    throw new SieveError("row-gone", `The row ${said} was written by no load, so it can't be put to a cluster.`);
  }
  const place = [row.load, row.record] as const;
  // The latest load that made something of the row: an earlier cluster of it is a member there.
  const found = await client.query<Cluster & { load: number; names: string[] }>(
    `select c.load, c.first, c.members, c.kept, c.origins,
       array(select f->>'name' from jsonb_array_elements(p.document->'contract'->'fields') with ordinality as x (f, n) order by n) as names
     from sieve.cluster c join sieve.load l on l.id = c.load join sieve.plan p on p.id = l.plan
     where l.feed = $3 and l.state = 'loaded' and ((c.load = $1 and c.first = $2 and jsonb_typeof(c.members->0->'row') = 'null')
       or c.members->0->'row' = jsonb_build_array($1::int, $2::int))
     order by c.load desc limit 1 for update of c`,
    [...place, on.feed],
  );
  const cluster = found.rows[0];
  if (!cluster) {
    return { cluster: null, place, left: row.values, members: [{ record: null, row: [...place], values: row.values }] };
  }
  // The other load's plan may have had other fields, or these in another order.
  const asHere = (values: readonly string[]): string[] =>
    fields.map((f) => values[cluster.names.indexOf(f.name)] ?? "");
  const members = cluster.members.map((m): ClusterMember => ({
    ...m,
    record: null,
    row: m.row ?? (m.record === null ? null : [cluster.load, m.record]),
    values: asHere(m.values),
  }));
  return { cluster: [cluster.load, cluster.first], place, members, left: asHere(cluster.kept) };
}
