import { SieveError } from "@/core/kernel/problem.ts";
import { ident, transaction, type Db } from "@/store/db.ts";
import { copiesOfFeed, storeMark, type KeptCopy } from "@/store/target-copies.ts";
import { primaryKey } from "../writing/target.ts";
import { apply, dropBrought, makeBrought, type Applied } from "./apply.ts";
import { send, shapeOf, unquoted } from "./copies.ts";
import { connectFar, endFar, farFault, fittedTable } from "./far.ts";
import { recover } from "./recover.ts";

/** How a copy stands beside its target, row by row. */
export interface Compared {
  readonly target: string;
  readonly connection: string;
  readonly table: string;
  readonly same: number;
  readonly otherwise: number;
  readonly missing: number;
  /** Rows that the target does not have, of a table that was made as a copy; others beside it are nobody's concern. */
  readonly more: number;
  /** Keys of the first of each. */
  readonly some: Applied["some"];
  /** It was brought into step. */
  readonly mended: boolean;
}

/** Holds the copies of a feed's targets against them, and brings them into step where that is asked for. Throws `no-copy`. */
export async function compareCopies(db: Db, feed: string, { mend }: { readonly mend: boolean }): Promise<Compared[]> {
  const all: Compared[] = [];
  const copies = await copiesOfFeed(db, feed);
  if (copies.length === 0) {
    throw new SieveError("no-copy", `No target of ${feed} has a copy yet.`, {
      hint: "The plan says which copies its targets have; the next load makes them.",
    });
  }
  for (const copy of copies) all.push(await compare(db, copy, mend));
  return all;
}

async function compare(db: Db, copy: KeptCopy, mend: boolean): Promise<Compared> {
  const { target, connection } = copy;
  const place = [copy.schema, copy.table] as const;
  const far = await connectFar(db, connection);
  try {
    return await transaction(db, async (client) => {
      await recover(client, far, connection);
      // Nothing is written here while the rows of both sides are held against one another.
      await client.query(`lock table ${target} in share mode`);
      const shape = await shapeOf(client, target, await primaryKey(client, target));
      const names = shape.columns.map((c) => c.name);
      await far.query("begin");
      const table = await fittedTable(far, connection, place, shape);
      await far.query(`lock table ${table.name} in share row exclusive mode`);
      const mark = await storeMark(client);
      const about = { table, place, mark, writing: 0, copy: copy.id, columns: names, key: shape.key, lasting: false };
      const brought = await makeBrought(far, about);
      const list = names.map((n) => `t.${ident(n)}`).join(", ");
      await send(client, `select ${list} from ${target} t`, far, brought.now, names);
      const same = shape.key.map((k) => `n.${ident(k)} = t.${ident(k)}`).join(" and ");
      await far.query(
        `insert into ${brought.was} (${names.map((n) => ident(n)).join(", ")}) select ${list} from ${table.name} t
         ${table.made ? "" : `where exists (select from ${brought.now} n where ${same})`}`,
      );
      const found = await apply(far, brought, { others: "refuse", connection });
      await dropBrought(far, brought);
      await far.query(mend ? "commit" : "rollback");
      if (mend) await client.query("update sieve.target_copy set filled = true where id = $1", [copy.id]);
      return { target: unquoted(target), connection, table: place.join("."), ...inWords(found), mended: mend };
    });
  } catch (error) {
    await far.query("rollback").catch(() => {});
    throw farFault(error, connection, `Looking at ${place.join(".")}`);
  } finally {
    await endFar(far);
  }
}

type Found = Pick<Compared, "same" | "otherwise" | "missing" | "more" | "some">;
const inWords = ({ unchanged, updated, inserted, removed, some }: Applied): Found => ({
  same: unchanged,
  otherwise: updated,
  missing: inserted,
  more: removed,
  some,
});
