import type { Reference, ReferenceShape, References } from "@/core/kernel/reference.ts";
import type { Asked } from "@/core/lookup/asked.ts";
import type { LookUpCounts } from "@/core/lookup/compile.ts";
import { listsInFormulas, listsOf, usesOfList, type Use } from "@/core/plan/uses.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError, counted } from "@/core/kernel/problem.ts";
import { transaction, type Client, type Db, type Queryable } from "./db.ts";

/** A reference list as lists of lists show it. */
export interface ReferenceInfo {
  name: string;
  title: string;
  about: string;
  shape: ReferenceShape;
  version: number;
  entries: number;
  changedAt: Date;
  changedBy: string;
  /** Where it is kept by another system, and when that was asked last; null for a list that is kept here. */
  asked: Asked | null;
  askedAt: Date | null;
}

export interface ReferenceVersion {
  version: number;
  note: string;
  added: number;
  removed: number;
  entries: number;
  madeBy: string;
  madeAt: Date;
}

const INFO = `r.name, r.title, r.about, r.shape, v.version, v.entries, v.made_at as "changedAt", v.made_by as "changedBy", r.asked, r.asked_at as "askedAt"
  from sieve.reference r join lateral
    (select * from sieve.reference_version v where v.list = r.name order by version desc limit 1) v on true`;

/** Entries of a list at most: all of them are held in memory where a load asks them. */
export const MOST_ENTRIES = 500_000;

export async function listReferences(db: Queryable): Promise<ReferenceInfo[]> {
  return (await db.query<ReferenceInfo>(`select ${INFO} order by r.title`)).rows;
}

/** Throws `no-list`. */
export async function getReference(db: Queryable, name: string): Promise<ReferenceInfo> {
  const { rows } = await db.query<ReferenceInfo>(`select ${INFO} where r.name = $1`, [name]);
  if (!rows[0]) {
    throw new SieveError("no-list", `There is no reference list ${name}.`, {
      hint: "References shows the lists that are there; bring one in there.",
    });
  }
  return rows[0];
}

export async function referenceVersions(db: Queryable, name: string): Promise<ReferenceVersion[]> {
  const { rows } = await db.query<ReferenceVersion>(
    `select version, note, added, removed, entries, made_by as "madeBy", made_at as "madeAt"
     from sieve.reference_version where list = $1 order by version desc`,
    [name],
  );
  return rows;
}

export interface ReferenceEntry {
  id: number;
  cells: string[];
  since: number;
  past: number | null;
}

/** Entries of the newest version whose cells have a text anywhere, whatever its case. */
export async function searchEntries(
  db: Queryable,
  name: string,
  text: string,
  limit: number,
  offset = 0,
): Promise<{ entries: ReferenceEntry[]; count: number }> {
  const { rows } = await db.query<ReferenceEntry & { count: number }>(
    `select id, cells, since, past, count(*) over ()::int as count from sieve.reference_entry
     where list = $1 and past is null and ($2 = '' or exists
       (select from jsonb_array_elements_text(cells) c where strpos(lower(c), lower($2)) > 0))
     order by position limit $3 offset $4`,
    [name, text, limit, offset],
  );
  return { entries: rows, count: rows[0]?.count ?? 0 };
}

/** What a version put in and took out. */
export async function versionChanges(
  db: Queryable,
  name: string,
  version: number,
  limit = 200,
): Promise<{ added: string[][]; removed: string[][] }> {
  const take = async (column: "since" | "past"): Promise<string[][]> =>
    (
      await db.query<{ cells: string[] }>(
        `select cells from sieve.reference_entry where list = $1 and ${column} = $2 order by position limit $3`,
        [name, version, limit],
      )
    ).rows.map((r) => r.cells);
  return { added: await take("since"), removed: await take("past") };
}

/** A list as it was at a version; the newest unless said. */
export async function readReference(db: Queryable, name: string, version?: number): Promise<Reference> {
  const info = await getReference(db, name);
  const at = version ?? info.version;
  const { rows } = await db.query<{ cells: string[] }>(
    `select cells from sieve.reference_entry where list = $1 and since <= $2 and (past is null or past > $2) order by position`,
    [name, at],
  );
  return { ...info.shape, name, version: at, entries: rows.map((r) => r.cells) };
}

/** The lists that a plan asks, at their newest versions. */
export async function referencesOf(db: Queryable, plan: Plan): Promise<References> {
  const found = new Map<string, Reference>();
  for (const name of listsOf(plan)) found.set(name, await readReference(db, name));
  return found;
}

/** The lists that a plan's formulas ask, those of them that there are, for a look at records of a plan that is being made. */
export async function listsAtHand(db: Queryable, plan: Plan): Promise<References> {
  const { rows } = await db.query<{ name: string }>("select name from sieve.reference where name = any($1)", [
    listsInFormulas(plan),
  ]);
  const found = new Map<string, Reference>();
  for (const { name } of rows) found.set(name, await readReference(db, name));
  return found;
}

/** The version of a list that a load asks, once it has asked it. */
export async function versionAsked(db: Queryable, load: number, list: string): Promise<number | undefined> {
  const { rows } = await db.query<{ version: number }>(
    "select version from sieve.load_reference where load = $1 and list = $2",
    [load, list],
  );
  return rows[0]?.version;
}

/** The lists that a load asks, at the versions that it asked first: running it again asks the same ones. */
export async function referencesOfLoad(db: Queryable, load: number, plan: Plan, keep = false): Promise<References> {
  const found = new Map<string, Reference>();
  for (const name of listsOf(plan)) {
    const asked = await versionAsked(db, load, name);
    const reference = await readReference(db, name, asked);
    if (asked === undefined && keep) {
      await db.query("insert into sieve.load_reference (load, list, version) values ($1, $2, $3)", [
        load,
        name,
        reference.version,
      ]);
    }
    found.set(name, reference);
  }
  return found;
}

/** What recent loads asked of a list and did not find, the commonest first, with how many records asked for it. */
export async function notFound(
  db: Queryable,
  name: string,
  limit = 100,
): Promise<{ values: string[]; count: number; feed: string; lookUp: string }[]> {
  const { rows } = await db.query<{ values: string[]; count: number; feed: string; lookUp: string }>(
    `select u->'values' as values, sum((u->>'count')::int)::int as count, l.feed, f->>'name' as "lookUp"
     from (select * from sieve.load where report ? 'lookUps' order by id desc limit 60) l
       cross join jsonb_array_elements(l.report->'lookUps') f cross join jsonb_array_elements(f->'unknown') u
     where f->>'list' = $1 and l.kind = 'load' group by 1, 3, 4 order by 2 desc, 1 limit $2`,
    [name, limit],
  );
  return rows;
}

/** An entry that loads propose for a list. */
export interface Proposal {
  readonly id: number;
  readonly cells: readonly string[];
  readonly records: number;
  readonly firstLoad: number;
  readonly lastLoad: number;
}

/** Keeps what a load proposes; an entry that was proposed before is counted on. */
export async function addProposals(db: Queryable, load: number, counts: readonly LookUpCounts[]): Promise<void> {
  for (const { list, proposed = [] } of counts) {
    if (proposed.length === 0) continue;
    await db.query(
      `insert into sieve.proposal as p (list, cells, records, first_load, last_load)
       select $1, x.cells, x.count, $2, $2 from jsonb_to_recordset($3::jsonb) as x (cells jsonb, count int)
       on conflict (list, cells) do update set records = p.records + excluded.records, last_load = excluded.last_load`,
      [list, load, JSON.stringify(proposed)],
    );
  }
}

/** Entries that are proposed for a list, were not refused, and are not there by now. */
export async function proposals(db: Queryable, name: string, limit = 100): Promise<Proposal[]> {
  const { rows } = await db.query<Proposal>(
    `select id::int, cells, records, first_load as "firstLoad", last_load as "lastLoad" from sieve.proposal
     where list = $1 and refused_by is null order by records desc, id`,
    [name],
  );
  // The list is only read where there is something to hold against it.
  if (rows.length === 0) return [];
  const { columns, key, entries } = await readReference(db, name);
  const at = columns.indexOf(key);
  const known = new Set(entries.map((cells) => JSON.stringify(cells)));
  const keys = new Set(entries.map((cells) => cells[at]));
  return rows
    .filter((p) => !known.has(JSON.stringify(p.cells)) && !(p.cells[at] && keys.has(p.cells[at])))
    .slice(0, limit);
}

/** Says that a proposed entry is none; it is not proposed again. */
export async function refuseProposal(db: Queryable, id: number, by: string): Promise<void> {
  await db.query("update sieve.proposal set refused_by = $2 where id = $1", [id, by]);
}

/** Plans in force that ask a list, by feed, with their look-ups and the places of formulas that ask it. */
export async function whereUsed(
  db: Queryable,
  name: string,
): Promise<{ feed: string; title: string; lookUps: string[]; formulas: Use[] }[]> {
  const { rows } = await db.query<{ feed: string; title: string; document: Plan }>(
    `select f.name as feed, f.title, p.document from sieve.feed f
     join lateral (select document from sieve.plan p where p.feed = f.name and version is not null order by version desc limit 1) p on true
     where strpos(p.document::text, $1) > 0 order by 2`,
    [name],
  );
  return rows.flatMap(({ feed, title, document }) => {
    const lookUps = (document.lookup ?? []).flatMap((l) => (l.list === name && l.file === undefined ? [l.name] : []));
    const formulas = usesOfList(document, name);
    return lookUps.length + formulas.length > 0 ? [{ feed, title, lookUps, formulas }] : [];
  });
}

/** Makes a list with its first entries. Throws `list-exists`, `list-invalid`. */
export async function makeReference(
  db: Db,
  list: { name: string; title: string; about: string; shape: ReferenceShape },
  entries: readonly (readonly string[])[],
  by: string,
  note = "brought in",
): Promise<void> {
  assertEntries(list.shape, entries);
  await transaction(db, async (client) => {
    const { rowCount } = await client.query(
      "insert into sieve.reference (name, title, about, shape) values ($1, $2, $3, $4) on conflict do nothing",
      [list.name, list.title, list.about, JSON.stringify(list.shape)],
    );
    if (rowCount === 0) {
      throw new SieveError("list-exists", `There is a reference list ${list.name} already.`, {
        hint: "Give the new one another name, or bring the entries into that list.",
      });
    }
    await addEntries(client, list.name, 1, entries, 0);
    await addVersion(client, list.name, 1, note, entries.length, 0, by);
  });
}

/** One change of a list: entries that come in, and the numbers of those that go. */
export interface ReferenceChange {
  readonly add: readonly (readonly string[])[];
  readonly remove: readonly number[];
}

/** Makes a new version of a list; gives its number. Throws `list-moved` when somebody was there before. */
export async function changeReference(
  db: Db,
  name: string,
  from: number,
  change: ReferenceChange,
  note: string,
  by: string,
): Promise<number> {
  return await transaction(db, async (client) => {
    const info = await lockReference(client, name, from);
    assertEntries(info.shape, change.add);
    const version = info.version + 1;
    const { rowCount: removed, rows } = await client.query<{ position: number }>(
      "update sieve.reference_entry set past = $2 where list = $1 and past is null and id = any($3) returning position",
      [name, version, change.remove],
    );
    if (removed !== change.remove.length) {
      throw new SieveError("list-moved", "An entry that was to go is no longer there.", {
        hint: "Look at the list again.",
      });
    }
    // An entry that takes another's place stands where that one stood.
    const { rows: last } = await client.query<{ n: number }>(
      "select coalesce(max(position), 0)::int as n from sieve.reference_entry where list = $1",
      [name],
    );
    const places = rows.map((r) => r.position).sort((a, b) => a - b);
    await addEntries(client, name, version, change.add, last[0]!.n + 1, places);
    await addVersion(client, name, version, note, change.add.length, removed ?? 0, by);
    return version;
  });
}

/** Replaces all entries: those that are the same stay as they are. Gives the new version, or the old one where nothing changed. */
export async function replaceEntries(
  db: Db,
  name: string,
  from: number,
  entries: readonly (readonly string[])[],
  note: string,
  by: string,
): Promise<number> {
  const { rows } = await db.query<{ id: number; cells: string[] }>(
    "select id, cells from sieve.reference_entry where list = $1 and past is null order by position",
    [name],
  );
  const there = new Map<string, number[]>();
  for (const { id, cells } of rows) {
    const key = JSON.stringify(cells);
    const list = there.get(key);
    if (list) list.push(id);
    else there.set(key, [id]);
  }
  const add = entries.filter((cells) => there.get(JSON.stringify(cells))?.pop() === undefined);
  const remove = [...there.values()].flat();
  if (add.length === 0 && remove.length === 0) return from;
  return await changeReference(db, name, from, { add, remove }, note, by);
}

async function lockReference(client: Client, name: string, from: number): Promise<ReferenceInfo> {
  await client.query("select 1 from sieve.reference where name = $1 for update", [name]);
  const info = await getReference(client, name);
  if (info.version !== from) {
    throw new SieveError("list-moved", `The list ${name} is at version ${info.version} by now, not ${from}.`, {
      hint: "Look at it again, and make the change once more.",
    });
  }
  return info;
}

function assertEntries({ columns, key }: ReferenceShape, entries: readonly (readonly string[])[]): void {
  const at = columns.indexOf(key);
  const bad = entries.findIndex((cells) => cells.length !== columns.length || cells[at] === "" || at < 0);
  if (entries.length > MOST_ENTRIES) {
    throw new SieveError("list-invalid", `A reference list has at most ${counted(MOST_ENTRIES, "entry", "entries")}.`);
  }
  if (bad >= 0) {
    throw new SieveError("list-invalid", `Entry ${bad + 1} has no ${key}.`, {
      detail: `It is ${JSON.stringify(entries[bad]).slice(0, 300)}.`,
      hint: `Every entry needs a value in the column ${key}.`,
    });
  }
}

async function addEntries(
  client: Client,
  list: string,
  version: number,
  entries: readonly (readonly string[])[],
  first: number,
  places: readonly number[] = [],
): Promise<void> {
  for (let at = 0; at < entries.length; at += 10_000) {
    const part = entries.slice(at, at + 10_000);
    await client.query(
      `insert into sieve.reference_entry (list, position, since, cells)
       select $1, x.position, $2, x.cells::jsonb from unnest($3::int[], $4::text[]) as x (position, cells)`,
      [list, version, part.map((_, i) => places[at + i] ?? first + at + i), part.map((cells) => JSON.stringify(cells))],
    );
  }
}

async function addVersion(
  client: Client,
  list: string,
  version: number,
  note: string,
  added: number,
  removed: number,
  by: string,
): Promise<void> {
  await client.query(
    `insert into sieve.reference_version (list, version, note, added, removed, entries, made_by)
     select $1, $2, $3, $4, $5, count(*), $6 from sieve.reference_entry where list = $1 and past is null`,
    [list, version, note, added, removed, by],
  );
}
