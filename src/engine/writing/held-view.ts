import type { Plan } from "@/core/plan/document.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { ident, literal, type Client } from "@/store/db.ts";
import { TARGET } from "./target.ts";

/**
 * A view beside a feed's target that shows others what is held: it is asked of the quarantine each time, so it is always as
 * that is. Who may read it is for its database to say; it reads the quarantine by the application's rights.
 */

/** The columns that it has besides the fields of the contract, before these. */
export const EXTRA_COLUMNS = ["_problems", "_load", "_record", "_file", "_line", "_since", "_with_sender"] as const;

/** What the view says of itself, by which it is known for ours. */
const mark = (feed: string): string => `What is held of the feed ${feed}; made by Good Sieve`;

/** The query of the view: the fields of the contract as texts, as they are mended by now, and what is wrong. */
export function heldViewSql({ feed, contract }: Plan): string {
  const own = contract.fields.map(({ name }) => {
    const at = `array_position(n.names, ${literal(name)})`;
    return `coalesce(h.mended->>${literal(name)}, nullif(h.field_values->>(${at} - 1), '')) as ${ident(name)}`;
  });
  const about: Record<(typeof EXTRA_COLUMNS)[number], string> = {
    _problems: "(select string_agg(p->>'message', ' ') from jsonb_array_elements(h.problems) p)",
    _load: "h.load",
    _record: "h.record",
    _file: "l.report->'files'->h.file->>'name'",
    _line: "h.line",
    _since: "l.ended_at",
    _with_sender: "h.with_sender",
  };
  return `with names as materialized (select p.id, array(select f->>'name'
      from jsonb_array_elements(p.document->'contract'->'fields') f)::text[] as names from sieve.plan p where p.feed = ${literal(feed)})
    select ${[...EXTRA_COLUMNS.map((c) => `${about[c]} as ${ident(c)}`), ...own].join(", ")}
    from sieve.held h join sieve.load l on l.id = h.load join names n on n.id = l.plan
    where h.feed = ${literal(feed)} and h.state in ('held', 'overtaken')`;
}

/** PostgreSQL's code of a thing that others hang on. */
const HANGS_ON = "2BP01";

/** Takes a view away; false where others hang on it. */
async function dropView(client: Client, view: string): Promise<boolean> {
  await client.query("savepoint held_view");
  try {
    await client.query(`drop view ${view}`);
  } catch (error) {
    if ((error as { code?: string }).code !== HANGS_ON) throw error;
    await client.query("rollback to savepoint held_view");
    return false;
  }
  await client.query("release savepoint held_view");
  return true;
}

/**
 * Makes the view as the plan has it, in a transaction, with the rights on it that were given before, and takes away one that
 * the plan has no more. Throws `view-taken` and `view-needed`.
 */
export async function keepHeldView(client: Client, plan: Plan): Promise<void> {
  const { held_in: wanted } = plan.load;
  const { rows: views } = await client.query<{ name: string; columns: string[] }>(
    `select c.relname as name, array(select a.attname::text from pg_attribute a where a.attrelid = c.oid and a.attnum > 0 order by a.attnum) as columns
     from pg_class c where c.relkind = 'v' and c.relnamespace = $1::regnamespace and obj_description(c.oid, 'pg_class') = $2`,
    [ident(TARGET), mark(plan.feed)],
  );
  // One that others hang on stays, as theirs.
  for (const { name } of views) if (name !== wanted) await dropView(client, ident(TARGET, name));
  if (wanted === undefined) return;
  const view = ident(TARGET, wanted);
  const there = views.find((v) => v.name === wanted);
  const columns = [...EXTRA_COLUMNS, ...plan.contract.fields.map((f) => f.name)];
  if (there && JSON.stringify(there.columns) === JSON.stringify(columns)) return;
  const { rows: grants } = await client.query<{ grant: string }>(
    `select format('grant %s on %s to %s', a.privilege_type, $1::text, case when a.grantee = 0 then 'public' else a.grantee::regrole::text end) as grant
     from pg_class c, aclexplode(c.relacl) a where c.oid = to_regclass($1) and a.grantee <> c.relowner`,
    [view],
  );
  if (!there) await needFree(client, view, wanted);
  // More columns at its end can be had without taking it away.
  else if (!there.columns.every((c, i) => c === columns[i]) && !(await dropView(client, view))) {
    throw new SieveError(
      "view-needed",
      `The view ${TARGET}.${wanted} shows fields that the plan no longer has, and others hang on it.`,
      {
        hint: "Take away what hangs on it, or give the view of held records another name in the plan.",
      },
    );
  }
  await client.query(`create or replace view ${view} as ${heldViewSql(plan)}`);
  await client.query(`comment on view ${view} is ${literal(mark(plan.feed))}`);
  for (const { grant } of grants) await client.query(grant);
}

async function needFree(client: Client, view: string, name: string): Promise<void> {
  const { rows } = await client.query<{ taken: boolean }>("select to_regclass($1) is not null as taken", [view]);
  if (!rows[0]!.taken) return;
  throw new SieveError(
    "view-taken",
    `There is something else called ${TARGET}.${name}, so it can't show what is held.`,
    {
      hint: "Give the view of held records another name in the plan.",
    },
  );
}
