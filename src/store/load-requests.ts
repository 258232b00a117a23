import { canSwitchOff, compilePlan } from "@/core/course/compile.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError, listed } from "@/core/kernel/problem.ts";
import { transaction, type Client, type Db } from "./db.ts";
import { bytesExpired, getDelivery } from "./deliveries.ts";
import { getPlan, planInForce } from "./feeds.ts";
import { enqueueLoad } from "./queue.ts";
import { getLoad, needReason, releaseClaim, type LoadState } from "./loads.ts";

/**
 * Asks for a delivery to be loaded by the plan in force. The same bytes are loaded into one feed
 * once: throws `loaded-before` with the earlier load, unless `again`.
 */
export async function askForLoad(
  db: Db,
  delivery: number,
  again = false,
  without?: Without,
  by = "steward",
): Promise<number> {
  return await transaction(db, async (client) => {
    const { feed, files } = await wholeDelivery(client, delivery);
    const plan = await planInForce(client, feed);
    const id = await newLoad(client, { feed, delivery, plan: plan.id, kind: "load", again, by });
    if (without) await switchOff(client, id, plan.document, without);
    for (const file of files) {
      const { rows } = await client.query<{ load: number }>(
        `insert into sieve.loaded_file (feed, sha256, load) values ($1, decode($2, 'hex'), $3)
         on conflict (feed, sha256) do update set load = loaded_file.load returning load`,
        [feed, file.sha256, id],
      );
      const earlier = rows[0]!.load;
      if (earlier !== id && !again) {
        throw new SieveError("loaded-before", `${file.name} was loaded into this feed before, in load ${earlier}.`, {
          detail: `Its SHA-256 is ${file.sha256}.`,
          hint: "Open that load, or say that it is to be loaded again.",
          facts: { load: earlier, delivery },
        });
      }
    }
    await enqueueLoad(client, id, feed);
    return id;
  });
}

/** Asks for a trial of a plan over a delivery: a whole run that writes nothing to the target. */
export async function askForTrial(db: Db, delivery: number, plan: number): Promise<number> {
  return await transaction(db, async (client) => {
    const { feed } = await wholeDelivery(client, delivery);
    const id = await newLoad(client, { feed, delivery, plan, kind: "trial", again: false, by: "steward" });
    await enqueueLoad(client, id, feed);
    return id;
  });
}

/**
 * A trial of a plan on a delivery to hold others against: the newest that has ended or is under way,
 * when nothing was loaded into the feed since; else a new one.
 */
export async function trialOf(db: Db, delivery: number, plan: number): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    `select t.id from sieve.load t where t.delivery = $1 and t.plan = $2 and t.kind = 'trial'
       and t.state in ('queued', 'running', 'tried')
       and not exists (select from sieve.load l where l.feed = t.feed and l.state = 'loaded' and l.ended_at > t.asked_at)
     order by t.id desc limit 1`,
    [delivery, plan],
  );
  return rows[0]?.id ?? (await askForTrial(db, delivery, plan));
}

async function wholeDelivery(client: Client, id: number) {
  // Its bytes do not expire from here until the load is there that needs them.
  await client.query("select from sieve.delivery where id = $1 for key share", [id]);
  const delivery = await getDelivery(client, id);
  if (delivery.files.length === 0) throw new SieveError("delivery-empty", `Delivery ${id} has no files.`);
  const unfinished = delivery.files.find((f) => f.sha256 === null);
  if (unfinished) {
    throw new SieveError("upload-cut", `${unfinished.name} has not arrived whole.`, {
      hint: "Wait for it, or send it again.",
    });
  }
  const gone = delivery.files.find((f) => f.expiredAt !== null);
  if (gone) throw bytesExpired(gone);
  return delivery;
}

async function newLoad(
  client: Client,
  of: { feed: string; delivery: number; plan: number; kind: "load" | "trial"; again: boolean; by: string },
): Promise<number> {
  const { rows } = await client.query<{ id: number }>(
    `insert into sieve.load (feed, delivery, plan, kind, again, asked_by, bytes_total)
     select $1, $2, $3, $4, $5, $6, coalesce(sum(bytes), 0) from sieve.delivery_file where delivery = $2 returning id`,
    [of.feed, of.delivery, of.plan, of.kind, of.again, of.by],
  );
  return rows[0]!.id;
}

/** Lets a load that stopped at a gate go on, with the reason. It is run again from its inputs. */
export async function letThrough(db: Db, id: number, reason: string): Promise<void> {
  needReason(reason);
  await transaction(db, async (client) => {
    const load = await inState(client, id, ["stopped"]);
    await client.query(
      "update sieve.load set state = 'queued', let_through = $2, ended_at = null, cancel_asked = false where id = $1",
      [id, reason],
    );
    await enqueueLoad(client, id, load.feed);
  });
}

/** Checks that a load is to do without, by key, and why. */
export interface Without {
  readonly checks: readonly string[];
  readonly reason: string;
}

/**
 * Runs a load that stopped at a gate again without some checks; the gates are measured anew. Throws
 * `no-check` and `check-needed`.
 */
export async function runWithout(db: Db, id: number, without: Without): Promise<void> {
  await transaction(db, async (client) => {
    const load = await inState(client, id, ["stopped"]);
    const { plan } = await getLoad(client, id);
    await client.query("update sieve.load set state = 'queued', ended_at = null, cancel_asked = false where id = $1", [
      id,
    ]);
    await switchOff(client, id, (await getPlan(client, plan)).document, without);
    await enqueueLoad(client, id, load.feed);
  });
}

async function switchOff(client: Client, id: number, plan: Plan, { checks, reason }: Without): Promise<void> {
  needReason(reason);
  const known = compilePlan(plan).checks;
  for (const key of checks) {
    const check = known.find((c) => c.key === key);
    if (!check) {
      throw new SieveError("no-check", `The plan has no check “${key}”.`, {
        detail: `Its checks are ${listed(known.filter((c) => canSwitchOff(plan, c)).map((c) => c.key))}.`,
        hint: "Name one of these.",
      });
    }
    if (!canSwitchOff(plan, check)) {
      throw new SieveError("check-needed", `The check that ${check.title} can't be switched off.`, {
        detail: "Without it the records could not be written to the target.",
        hint: "Mend the records, or change the plan.",
      });
    }
  }
  await client.query("update sieve.load set checks_off = checks_off || $2 where id = $1", [
    id,
    JSON.stringify(Object.fromEntries(checks.map((key) => [key, reason]))),
  ]);
}

/** Drops a load that stopped at a gate. Its bytes may be loaded again. */
export async function dropLoad(db: Db, id: number, reason: string): Promise<void> {
  needReason(reason);
  await transaction(db, async (client) => {
    await inState(client, id, ["stopped"]);
    await client.query("update sieve.load set state = 'dropped', dropped = $2 where id = $1", [id, reason]);
    await releaseClaim(client, id);
  });
}

async function inState(client: Client, id: number, states: LoadState[]): Promise<{ feed: string; state: LoadState }> {
  const { rows } = await client.query<{ feed: string; state: LoadState }>(
    "select feed, state from sieve.load where id = $1 for update",
    [id],
  );
  if (!rows[0]) throw new SieveError("no-load", `There is no load ${id}.`);
  if (!states.includes(rows[0].state)) {
    throw new SieveError("wrong-state", `Load ${id} is ${rows[0].state}, so this can't be done.`, {
      detail: `It can be done to a load that is ${states.join(" or ")}.`,
      hint: "Look at the load again; someone else may have decided.",
    });
  }
  return rows[0];
}
