import { targetFields } from "@/core/plan/target-fields.ts";
import { type LeftBecause, type UndoDoes } from "@/core/kernel/writing.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { ident, transaction, type Client, type Db } from "@/store/db.ts";
import { getWriting, ownTransactions, type Writing as Written } from "@/store/writings.ts";
import { aboutOf, chooseRows, chosenKey, findRows, ofSeveral, keyText, planOf, victimsOf, writeRows } from "./rows.ts";
import { cannotUndoAny } from "./kept.ts";
import { targetColumns, tableOf } from "../writing/target.ts";
import { DID, Writing } from "../writing/writing.ts";

/** Rows of a preview that are shown at a time. */
const ROWS_SHOWN = 200;

/** What undoing a writing would do, row by row. */
export interface UndoneRow {
  /** The table; null where all rows are of one. */
  readonly target: string | null;
  /** The row's key, as text. */
  readonly key: string;
  readonly does: UndoDoes;
  /** Null for a row that is undone. */
  readonly because: LeftBecause | null;
  /** The writing that has changed the row since; null where another program did, or nobody. */
  readonly by: number | null;
  /** What refers to the row, or which rule would be broken. */
  readonly detail: string;
  /** What stands there, by column; null where nothing does. */
  readonly now: Record<string, string | null> | null;
  /** What would come back; null where nothing does. */
  readonly back: Record<string, string | null> | null;
}

export interface UndoPreview {
  readonly writing: Written;
  /** Writings of the same records that came after and are undone with it, the latest first. */
  readonly along: readonly Written[];
  /** Rows that are undone, by what is done to them. */
  readonly does: Readonly<Record<UndoDoes, number>>;
  /** Rows that are left, by why. */
  readonly left: Readonly<Record<LeftBecause, number>>;
  readonly columns: readonly string[];
}

/** Which rows of a preview are wanted. */
export interface UndoRowFilter {
  readonly does?: UndoDoes | undefined;
  readonly left?: LeftBecause | "any" | undefined;
  readonly from?: number | undefined;
  /** Where neither is said: rows that would be left, if there are any, as they need a person; else those that are undone. */
  readonly needed?: boolean;
}

class Looked extends Error {}

/**
 * What undoing a writing would do to the target, and the rows of one of its counts. Nothing is changed. Of a load,
 * what came of its records later is undone first and counted with it.
 * @returns the counts, and at most `ROWS_SHOWN` rows from the `from`th on
 */
export async function previewUndo(
  db: Db,
  id: number,
  filter: UndoRowFilter = {},
): Promise<UndoPreview & { rows: readonly UndoneRow[]; next: number | null }> {
  const main = await getWriting(db, id);
  const victims = await victimsOf(db, main);
  const fault = await cannotUndoAny(db, main, victims);
  if (fault) throw new SieveError("cannot-undo", fault.message, { hint: fault.hint });
  const does: Record<UndoDoes, number> = { remove: 0, "put back": 0, "bring back": 0 };
  const left: Record<LeftBecause, number> = { changed: 0, gone: 0, another: 0, undone: 0, referred: 0, rule: 0 };
  let columns: string[] = [];
  const from = filter.from ?? 0;
  /** Which rows may be wanted, those first that are shown if there are any. */
  const views = (filter.needed && !filter.does && !filter.left ? [{ left: "any" as const }, {}] : [filter]).map(
    (f) => ({
      where: rowsWhere(f),
      rows: [] as UndoneRow[],
      seen: 0,
    }),
  );
  const several = ofSeveral(victims);
  try {
    // The undo is done and taken back, so that what is said beforehand is what will be.
    await transaction(db, async (client) => {
      for (const victim of victims) {
        const plan = await planOf(client, victim);
        const ours = await ownTransactions(client, victim.target, await ownNow(client));
        const undoing = await findRows(client, victim, plan, ours);
        if (!undoing) continue;
        await chooseRows(undoing, "none", false);
        const own = targetFields(plan).map((f) => f.name);
        columns = [...new Set([...columns, ...own])];
        const { rows } = await client.query<{ does: UndoDoes; because: LeftBecause | null; go: boolean; n: number }>(
          `select does, because, go, count(*)::int as n from undo_rows where because is distinct from 'nothing' group by 1, 2, 3`,
        );
        for (const r of rows) {
          if (r.go) does[r.does] += r.n;
          else left[r.because!] += r.n;
        }
        const there = new Set((await targetColumns(client, tableOf(plan))).map((c) => c.name));
        const texts = (alias: string): string =>
          `jsonb_build_object(${own
            .filter((c) => there.has(c) && (alias === "t" || undoing.columns.includes(ident(c))))
            .slice(0, 45)
            .map((c) => `'${c}', ${alias}.${ident(c)}::text`)
            .join(", ")})`;
        for (const view of views) {
          const page = await client.query<UndoneRow>(
            `select ${chosenKey(plan, `coalesce(case when t.ctid is not null then ${keyText(plan, "t")} end, ${keyText(plan, "i")})`, several)} as key,
               ${several ? "$3::text" : "null"} as target, u.does, u.because, u.by_writing as by, u.detail, case when t.ctid is not null then ${texts("t")} end as now,
               case when i."_ n" is not null and i.${DID} <> 'made' then ${texts("i")} end as back
             from undo_rows u left join ${tableOf(plan)} t on t.ctid = u.place and t.tableoid = u.part
               left join undo_images i on i."_ n" = u.img where ${view.where} order by u.n offset $1 limit $2`,
            [Math.max(0, from - view.seen), ROWS_SHOWN + 1 - view.rows.length, ...(several ? [plan.load.target] : [])],
          );
          view.rows.push(...page.rows);
          view.seen += await countWhere(client, view.where);
        }
        if (victim !== victims.at(-1)) {
          const w = await Writing.begin(client, { ...aboutOf(victim, plan), by: "" });
          await writeRows(undoing, w);
        }
      }
      throw new Looked();
    });
  } catch (error) {
    if (!(error instanceof Looked)) throw error;
  }
  const { rows } = views.find((v) => v.seen > 0) ?? views[0]!;
  return {
    writing: main,
    along: victims.filter((v) => v.id !== main.id),
    does,
    left,
    columns,
    rows: rows.slice(0, ROWS_SHOWN),
    next: rows.length > ROWS_SHOWN ? from + ROWS_SHOWN : null,
  };
}

/** That a row `u` of an undo is one of those that are wanted, in SQL. */
function rowsWhere({ does, left }: UndoRowFilter): string {
  if (left === undefined) return `u.go${does ? ` and u.does = '${does}'` : ""}`;
  return `not u.go and u.because ${left === "any" ? "is distinct from 'nothing'" : `= '${left}'`}`;
}

async function ownNow(client: Client): Promise<string[]> {
  const { rows } = await client.query<{ xid: string | null }>("select pg_current_xact_id_if_assigned()::text as xid");
  return rows[0]!.xid === null ? [] : [rows[0]!.xid];
}

async function countWhere(client: Client, where: string): Promise<number> {
  const { rows } = await client.query<{ n: number }>(`select count(*)::int as n from undo_rows u where ${where}`);
  return rows[0]!.n;
}
