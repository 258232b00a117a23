import { canSwitchOff, compilePlan } from "@/core/course/compile.ts";
import type { Plan } from "@/core/plan/document.ts";
import { handedBy } from "@/core/plan/further-edit.ts";
import { parametersGiven } from "@/core/plan/parameters.ts";
import { senderOfFiles } from "@/core/plan/senders.ts";
import { SieveError, counted, listed, quoted } from "@/core/kernel/problem.ts";
import { transaction, type Client, type Db } from "./db.ts";
import { bytesExpired, getDelivery } from "./deliveries.ts";
import { getPlan, planInForce } from "./feeds.ts";
import { enqueueLoad } from "./queue.ts";
import { getLoad, needReason, releaseClaim, type LoadState } from "./loads.ts";

/** How a run is to be other than its plan and its delivery say. */
export interface RunRequest {
  /** Values of the plan's parameters. */
  readonly parameters?: Readonly<Record<string, string>> | undefined;
  readonly without?: Without | undefined;
}

/** What a load is to do without, and why. */
export interface Without {
  /** Checks by key. */
  readonly checks?: readonly string[] | undefined;
  /** Steps by number, from 1. */
  readonly steps?: readonly number[] | undefined;
  /** Look-ups by name. */
  readonly lookUps?: readonly string[] | undefined;
  /** Further targets by the name of their table. */
  readonly targets?: readonly string[] | undefined;
  readonly reason: string;
}

export interface LoadRequest extends RunRequest {
  /** Although the same bytes were loaded before. */
  readonly again?: boolean;
  readonly by?: string;
}

/**
 * Asks for a delivery to be loaded by the plan in force. The same bytes are loaded into one feed
 * once: throws `loaded-before` with the earlier load, unless `again`. Throws `no-parameter`,
 * `parameter-invalid`, `no-check`, `check-needed`, `no-step`, `no-look-up`, `no-further-target` and `target-needed` for
 * what a run can't be given.
 */
export async function askForLoad(db: Db, delivery: number, request: LoadRequest = {}): Promise<number> {
  return await transaction(db, (client) => queueLoad(client, delivery, request));
}

/** The same within a transaction. */
export async function queueLoad(
  client: Client,
  delivery: number,
  { again = false, by = "steward", ...run }: LoadRequest,
): Promise<number> {
  const { feed, files, sender } = await wholeDelivery(client, delivery);
  const plan = await planInForce(client, feed);
  if (sender === "") await tellSender(client, delivery, plan.document, files);
  const id = await newLoad(client, { feed, delivery, plan: plan.id, kind: "load", again, by });
  await tellRun(client, id, plan.document, run);
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
}

/** Asks for a trial of a plan over a delivery: a whole run that writes nothing to the target. */
export async function askForTrial(db: Db, delivery: number, plan: number, run: RunRequest = {}): Promise<number> {
  return await transaction(db, (client) => queueTrial(client, delivery, plan, run));
}

/** The same within a transaction. */
export async function queueTrial(client: Client, delivery: number, plan: number, run: RunRequest): Promise<number> {
  const { feed } = await wholeDelivery(client, delivery);
  const id = await newLoad(client, { feed, delivery, plan, kind: "trial", again: false, by: "steward" });
  await tellRun(client, id, (await getPlan(client, plan)).document, run);
  await enqueueLoad(client, id, feed);
  return id;
}

/**
 * A trial of a plan on a delivery to hold others against: the newest that has ended or is under way,
 * when nothing was loaded into the feed since; else a new one.
 */
export async function trialOf(db: Db, delivery: number, plan: number): Promise<number> {
  const { rows } = await db.query<{ id: number }>(
    `select t.id from sieve.load t where t.delivery = $1 and t.plan = $2 and t.kind = 'trial'
       and t.run = '{}' and t.checks_off = '{}'
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

/** Says of a delivery whose it is, where the plan knows it by the names of its files. */
async function tellSender(
  client: Client,
  delivery: number,
  plan: Plan,
  files: readonly { readonly name: string }[],
): Promise<void> {
  const sender = senderOfFiles(
    plan,
    files.map((f) => f.name),
  );
  if (sender !== null) await client.query("update sieve.delivery set sender = $2 where id = $1", [delivery, sender]);
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

/**
 * Runs a load that stopped at a gate again without some checks, steps, look-ups or further targets; the gates are measured
 * anew. Throws `no-check`, `check-needed`, `no-step`, `no-look-up`, `no-further-target` and `target-needed`.
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

/** Keeps with a load what its run is given. */
async function tellRun(
  client: Client,
  id: number,
  plan: Plan,
  { parameters = {}, without }: RunRequest,
): Promise<void> {
  const told = parametersGiven(plan, parameters);
  if (Object.keys(told).length > 0) {
    await client.query("update sieve.load set run = run || jsonb_build_object('parameters', $2::jsonb) where id = $1", [
      id,
      JSON.stringify(told),
    ]);
  }
  if (without) await switchOff(client, id, plan, without);
}

async function switchOff(client: Client, id: number, plan: Plan, without: Without): Promise<void> {
  const { checks = [], steps = [], lookUps = [], targets = [], reason } = without;
  needReason(reason);
  if (checks.length > 0) needSwitchable(plan, checks);
  for (const step of steps) {
    if (plan.cleanse[step - 1] && Number.isInteger(step)) continue;
    throw new SieveError("no-step", `The plan has no step ${step}.`, {
      detail: `It has ${counted(plan.cleanse.length, "step")}.`,
      hint: "Give the number of one, from 1.",
    });
  }
  const lists = (plan.lookup ?? []).map((l) => l.name);
  const lookUp = lookUps.find((name) => !lists.includes(name));
  if (lookUp !== undefined)
    throw new SieveError("no-look-up", `The plan has no look-up ${quoted(lookUp)}.`, ofThose("look-ups", lists));
  const tables = (plan.load.further ?? []).map((f) => f.target);
  const target = targets.find((name) => !tables.includes(name));
  if (target !== undefined) {
    const message = `The plan has no further target ${quoted(target)}.`;
    throw new SieveError("no-further-target", message, ofThose("further targets", tables));
  }
  needNotHanded(plan, targets);
  const because = (keys: readonly (string | number)[]): string =>
    JSON.stringify(Object.fromEntries(keys.map((key) => [key, reason])));
  await client.query(
    `update sieve.load set checks_off = checks_off || $2,
       run = run || jsonb_build_object('steps', coalesce(run->'steps', '{}') || $3::jsonb,
         'lookUps', coalesce(run->'lookUps', '{}') || $4::jsonb, 'targets', coalesce(run->'targets', '{}') || $5::jsonb) where id = $1`,
    [id, because(checks), because(steps.map((s) => s - 1)), because(lookUps), because(targets)],
  );
}

/** What a plan has, where something else was named. */
const ofThose = (what: string, names: readonly string[]): { detail: string; hint: string } => ({
  detail: names.length > 0 ? `It has ${listed(names)}.` : "It has none.",
  hint: `Name one of the plan's ${what}.`,
});

/** Throws `target-needed`. */
function needNotHanded(plan: Plan, targets: readonly string[]): void {
  const without = handedBy(plan, targets);
  if (without.length > 0) {
    throw new SieveError("target-needed", `A run can't do without ${listed(targets)}.`, {
      detail: `${listed(without)} ${without.length === 1 ? "takes" : "take"} a value from there.`,
      hint: "Leave it in, or run without those that take from it too.",
    });
  }
}

/** Throws `no-check` and `check-needed`. */
function needSwitchable(plan: Plan, keys: readonly string[]): void {
  const known = compilePlan(plan).checks;
  for (const key of keys) {
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
