import { outcomeOf } from "@/core/plan/after.ts";
import type { Plan } from "@/core/plan/document.ts";
import { settingsOf, valuesOf, type Run } from "@/core/plan/parameters.ts";
import { noteDone } from "@/store/after.ts";
import type { Client } from "@/store/db.ts";
import { cannotPrepare } from "../copies/far.ts";
import { CopySession } from "../copies/session.ts";
import { statementIn } from "./sql.ts";

/**
 * Runs what a plan has run together with a load, on other databases that commit when it does. `writing`: the load's own.
 * Throws `statement-failed`, `cannot-prepare`, `copy-away`.
 */
export async function runWithin(
  client: Client,
  {
    load,
    plan,
    run,
    held,
    writing,
  }: { readonly load: number; readonly plan: Plan; readonly run: Run; readonly held: number; readonly writing: number },
): Promise<void> {
  const outcome = outcomeOf("loaded", held);
  for (const [n, action] of (plan.after ?? []).entries()) {
    if (action.do !== "sql" || !action.within || !action.on.includes(outcome)) continue;
    const along = await CopySession.of(client).along(action.connection, writing);
    if (along.how !== "two phases") throw cannotPrepare(action.connection);
    const about = { load, feed: plan.feed, outcome };
    const own = { load: String(load), feed: plan.feed, outcome };
    const answer = await statementIn(along.within, action, settingsOf(valuesOf(plan, run.parameters), own));
    await noteDone(client, { ...about, n, action, answer: `${answer}, committed together with the load` });
  }
}
