import type pg from "pg";
import { SieveError, counted } from "@/core/kernel/problem.ts";
import type { AfterAction } from "@/core/plan/after.ts";
import type { Db } from "@/store/db.ts";
import { alone, connectOther, tell } from "../sources/others-sql.ts";

const MOST_MS = 600_000;

type Statement = AfterAction & { do: "sql" };

/**
 * Runs a statement of a plan in the transaction that a client is in; gives what came of it. Throws `statement-failed`.
 *
 * @param told settings of the transaction that the statement may ask for, by name
 */
export async function statementIn(
  client: pg.Client,
  action: Statement,
  told: Readonly<Record<string, string>>,
): Promise<string> {
  try {
    await tell(client, { ...told, statement_timeout: String(MOST_MS) });
    const { rowCount, command } = await client.query(alone(action.sql));
    return `${command ?? "Done"}: ${counted(rowCount ?? 0, "row")}`;
  } catch (error) {
    throw new SieveError("statement-failed", `The statement on ${action.connection} failed.`, {
      detail: (error as Error).message,
    });
  }
}

/** Runs a statement of a plan on a connection's database, in a transaction of its own. Throws `statement-failed`. */
export async function runStatement(db: Db, action: Statement, told: Readonly<Record<string, string>>): Promise<string> {
  let client: pg.Client | undefined;
  try {
    client = await connectOther(db, action.connection, { called: "after a load" });
    await client.query("begin");
    const answer = await statementIn(client, action, told);
    await client.query("commit");
    return answer;
  } catch (error) {
    if (error instanceof SieveError) throw error;
    throw new SieveError("statement-failed", `The statement on ${action.connection} failed.`, {
      detail: (error as Error).message,
    });
  } finally {
    await client?.end().catch(() => {});
  }
}
