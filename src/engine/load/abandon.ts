import { LOAD_LOCK } from "@/store/locks.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { transaction, type Db, type Queryable } from "@/store/db.ts";
import { failLoad, getLoad, type Load } from "@/store/loads.ts";
import { dropQueued } from "@/store/queue.ts";
import { dropKept } from "../writing/writing.ts";
import { dropStaging } from "./staging.ts";

/** So many times may a load end the worker that runs it. */
export const MOST_DEATHS = 3;

/** Drops what a load has made on its way that is of no use when it does not come to a good end. */
export async function dropLeft(db: Queryable, id: number): Promise<void> {
  await dropStaging(db, id);
  const { rows } = await db.query<{ writing: number | null }>("select writing from sieve.load where id = $1", [id]);
  if (rows[0]?.writing) await dropKept(db, rows[0].writing);
}

/** Ends a load that does not come to a good end: nothing of it stays, and its bytes may come again. */
export async function abandonLoad(
  db: Queryable,
  id: number,
  state: "failed" | "cancelled",
  error?: unknown,
): Promise<void> {
  // Who dies in between leaves a load that is run again, and not tables that nobody comes back for.
  await dropLeft(db, id);
  await failLoad(db, id, state, error);
}

/**
 * Cancels a load in whatever state it is that has not ended. One that no worker runs ends at once;
 * one that is run is ended by its worker within a second. Throws `wrong-state` for one that has ended.
 */
export async function cancelLoad(db: Db, id: number): Promise<void> {
  await transaction(db, async (client) => {
    const { rows } = await client.query<Pick<Load, "state">>("select state from sieve.load where id = $1 for update", [
      id,
    ]);
    const { state } = rows[0] ?? (await getLoad(client, id));
    if (state !== "queued" && state !== "running" && state !== "stopped") {
      throw new SieveError("wrong-state", `Load ${id} is ${state}, so there is nothing to cancel.`, {
        detail: "A load can be cancelled until it has ended.",
        hint: state === "loaded" ? "Undo it instead." : "Look at the load again.",
      });
    }
    await client.query("update sieve.load set cancel_asked = true where id = $1", [id]);
    const { rows: lock } = await client.query<{ free: boolean }>("select pg_try_advisory_xact_lock($1, $2) as free", [
      LOAD_LOCK,
      id,
    ]);
    // Its worker ends it, and takes out what it has made.
    if (!lock[0]!.free) return;
    await dropQueued(client, id);
    await abandonLoad(client, id, "cancelled");
  });
}

/** Why a load is given up that has ended its worker again and again. */
export function deathWords({ deaths, stage, memorySoFar }: Pick<Load, "deaths" | "stage" | "memorySoFar">): SieveError {
  const times = deaths === 3 ? "three times" : `${deaths} times`;
  const memory = memorySoFar > 0 ? `, last with ${(memorySoFar / 2 ** 30).toFixed(1)} GB in use` : "";
  return new SieveError("load-failed", `The load ended the worker ${times} while ${stage || "it began"}${memory}.`, {
    detail: "A worker that is out of memory is ended by the system, and so is one that somebody kills.",
    hint: "Look at the worker's log and at what the files hold; split them, or give the machine more memory, and load them again.",
  });
}
