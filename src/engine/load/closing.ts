import type { CopyOutlook } from "@/core/plan/copies.ts";
import { printCheck } from "@/core/check/identity.ts";
import type { TableRule } from "@/core/interop/table.ts";
import { addToBalance, assertCloses, emptyBalance, type Balance } from "@/core/kernel/ledger.ts";
import type { MatchMetrics } from "@/core/match/metrics.ts";
import type { KeptCells } from "@/core/plan/arriving.ts";
import type { Further } from "@/core/plan/further-schema.ts";
import type { FurtherCounts } from "@/core/plan/further.ts";
import type { GoneRows } from "@/core/gate/part.ts";
import type { ReplacedRows } from "@/core/plan/slice.ts";
import { makeReport, type Reconciliation, type ReturnedCounts } from "@/core/report/report.ts";
import { ledgerBlocks } from "@/store/ledger.ts";
import { commitAll, rollbackAll } from "@/store/db.ts";
import { dayOf, endLoad } from "@/store/loads.ts";
import { columnsBefore, historyBefore } from "@/store/load-history.ts";
import { noteSenders } from "@/store/senders-of-load.ts";
import { addProposals } from "@/store/references.ts";
import { matchStaged, noteMatched } from "../match/match-load.ts";
import { overtakeHeld } from "../release/overtake.ts";
import { closeReturned } from "../release/returned.ts";
import type { FromThread } from "../threads/messages.ts";
import { pruneUndo } from "../undo/kept.ts";
import { countKept, countUpsert, meet, type Absent, type Meeting } from "../writing/meet.ts";
import { keepHeldView } from "../writing/held-view.ts";
import { Expected, reconcile } from "../writing/reconcile.ts";
import { alterTarget, keepBesideColumns } from "../writing/alterations.ts";
import { refusedByFurther, takeHanded, type Sending } from "../writing/further-rows.ts";
import { countReplaced, noteSlices } from "../writing/slice.ts";
import { runWithin } from "../after/within.ts";
import { copyOutlook } from "../copies/outlook.ts";
import { CopySession } from "../copies/session.ts";
import { FurtherTargets, furtherWriting } from "../writing/further.ts";
import { Writing, countsRemoved, lockTarget } from "../writing/writing.ts";
import { Cancelled, type Attempted } from "./attempted.ts";
import { holdBetween } from "./between.ts";
import { IntoTarget } from "./into-target.ts";
import { GoneFromTarget } from "./gone.ts";
import { Holding } from "./quarantine.ts";
import type { Rerun } from "./rerun.ts";
import {
  absentFields,
  findBroken,
  findLoadedBefore,
  findTaken,
  findUnmet,
  holdFiles,
  type StagedLoad,
} from "./staged.ts";
import { dropStaging, staging, stagingHeld, stagingMet } from "./staging.ts";
import { absolveSuspects } from "./suspects.ts";

/** What the thread has found out of a delivery, once all of it is read. */
export type ReadThrough = Extract<FromThread, { type: "done" }>;

export interface ClosingOptions {
  /** The bundled pairs-thread. */
  readonly pairsThread: URL;
  /** Tells that the load has come to a stage; while it goes on where no stage is given. */
  readonly tell: (stage?: string) => Promise<void>;
}

type About = Parameters<typeof makeReport>[0];

/**
 * The closing transaction of a load: what the target and the records beside each other say of the staged ones, the gates,
 * the matches, the target, the quarantine, the report. All of it happens, or nothing.
 */
export class Closing {
  private readonly rerun: Rerun;
  private readonly holding: Holding;
  private readonly staged: StagedLoad;
  private readonly trial: boolean;
  /** The target's own rules that the records were held against, by name. */
  private readonly rules = new Map<string, TableRule>();
  /** Provisional until the load ends: what is found moves records from one outcome to another. */
  private balance: Balance = emptyBalance();
  /** Records that passed the course and are held all the same. */
  private heldLate = 0;
  /** Problems that were found late, by check. */
  private late: ReadonlyMap<string, number> = new Map();
  private heldAsFiles = 0;
  private before: Pick<About, "before" | "history" | "loadedBefore"> | null = null;
  private matches: MatchMetrics | null = null;
  private kept: KeptCells[] = [];
  private reconciliation: Reconciliation | null = null;
  private returned: ReturnedCounts | null = null;
  private further: readonly FurtherCounts[] | null = null;
  private outlook: readonly CopyOutlook[] = [];
  private absent: Absent | null = null;
  private replaced: ReplacedRows | null = null;
  private gone: GoneFromTarget | null = null;
  private goneRows: GoneRows | null = null;

  constructor(
    private readonly of: Attempted,
    private readonly done: ReadThrough,
    private readonly options: ClosingOptions,
  ) {
    const { client, id, compiled, delivery, attempt, load } = of;
    this.rerun = { compiled, files: delivery.files, facts: done.files, rules: this.rules };
    this.holding = new Holding(client, attempt, this.rerun);
    this.staged = { client, id, compiled, staging: staging(id) };
    this.trial = load.kind === "trial";
  }

  async close(): Promise<void> {
    const { client, id, load, compiled, clock } = this.of;
    const { plan } = compiled;
    await clock.timed("repeats", () => absolveSuspects(this.of, this.rerun));
    await client.query("begin");
    try {
      // Compiling statements takes longer here than it saves.
      await client.query("set local jit = off");
      const exists = await lockTarget(client, load.feed, plan, this.trial ? "the feed" : undefined);
      if (exists) await this.lookForGone();
      await this.holdLate(exists);
      const stopped = this.report().gates.some((g) => !g.passed) && load.letThrough === null;
      const writing = this.trial || stopped ? null : await this.beginWriting();
      const expected = new Expected(plan);
      if (plan.match) await this.match(exists, writing, expected);
      if (exists) await this.lookForReplaced(writing);
      if (writing) await this.write(writing, expected, exists);
      else await this.weigh(exists);
      assertCloses(this.balance);
      const state = this.trial ? "tried" : stopped ? "stopped" : "loaded";
      await endLoad(client, id, state, this.balance, this.report());
      await dropStaging(client, id);
      // The last moment at which a cancel counts.
      const { rows } = await client.query<{ cancel_asked: boolean }>(
        "select cancel_asked from sieve.load where id = $1",
        [id],
      );
      if (rows[0]!.cancel_asked) throw new Cancelled();
      await commitAll(client);
    } catch (error) {
      await rollbackAll(client);
      throw error;
    }
  }

  private report(): ReturnType<typeof makeReport> {
    const { done } = this;
    const { compiled, delivery, clock } = this.of;
    return makeReport({
      compiled,
      tally: done.tally,
      files: done.files,
      balance: this.balance,
      distinct: done.distinct,
      late: new Map(this.late),
      rules: [...this.rules.keys()].map((name) => printCheck({ kind: "target", rule: name })),
      timing: clock.timing,
      extras: done.extras,
      codes: done.codes,
      lookUps: done.lookUps,
      figures: done.figures,
      controls: done.controls,
      received: delivery.receivedAt,
      heldAsFiles: this.heldAsFiles,
      ...this.before!,
      matches: this.matches,
      kept: this.kept,
      reconciliation: this.reconciliation,
      returned: this.returned,
      gone: this.goneRows,
      replaced: this.replaced,
      further: this.further,
      copies: CopySession.of(this.of.client).counts,
      copyOutlook: this.outlook,
    });
  }

  /** Rows of the target that did not come, before any record is taken out of staging: what is held has come too. */
  private async lookForGone(): Promise<void> {
    const { client, id, load, compiled, clock } = this.of;
    if (!compiled.plan.load.gone) return;
    await clock.timed("rows that no longer come", async () => {
      const tables = { staging: staging(id), stagingHeld: stagingHeld(id) };
      this.gone = await GoneFromTarget.look({ client, feed: load.feed, compiled, ...tables });
      this.goneRows = (await this.gone?.count()) ?? null;
    });
  }

  /** Rows of the target that make room for those that come, now that it is known which do. */
  private async lookForReplaced(writing: Writing | null): Promise<void> {
    const { client, id, compiled, clock } = this.of;
    const { plan } = compiled;
    if (plan.load.mode !== "replace") return;
    await clock.timed("rows that are replaced", async () => {
      const slices = plan.load.slice === undefined ? null : await noteSlices(client, plan, staging(id));
      // A writing that keeps what it takes away counts it by itself.
      this.replaced = writing && countsRemoved(plan) ? { rows: 0, slices } : await countReplaced(client, plan, slices);
    });
  }

  /** Takes records out of staging that a check between records, the target or a drift of their file holds. */
  private async holdLate(exists: boolean): Promise<void> {
    const { client, id, compiled, load, delivery, clock } = this.of;
    const { plan } = compiled;
    const tables = { id, compiled, staging: staging(id), stagingHeld: stagingHeld(id), targetExists: exists };
    const apart = await clock.timed("checks between records", () => holdBetween(client, tables));
    const sliced = exists && plan.load.slice !== undefined;
    if (sliced) await clock.timed("slices", () => noteSlices(client, plan, staging(id)));
    const meets = exists && (plan.load.mode === "append" || sliced) && plan.load.key.length > 0;
    const taken = meets ? await clock.timed("keys of the target", () => findTaken(this.staged)) : 0;
    const unmet =
      plan.load.only === "update" ? await clock.timed("rows to update", () => findUnmet(this.staged, exists)) : 0;
    const loadedBefore = exists
      ? await clock.timed("what the target has already", () => findLoadedBefore(this.staged, taken))
      : null;
    let broken = 0;
    if (exists) {
      const found = await clock.timed("rules of the target", () => findBroken(this.staged));
      broken = found.broken;
      for (const [name, rule] of found.rules) this.rules.set(name, rule);
    }
    if (plan.load.further) broken += await clock.timed("rules of further targets", () => this.holdRefused());
    const sender = this.ofOne() ?? delivery.sender;
    this.before = {
      before: await columnsBefore(client, load, sender),
      history: await historyBefore(client, load, sender),
      loadedBefore,
    };
    await clock.timed("balance", async () => {
      for await (const block of ledgerBlocks(client, id)) addToBalance(this.balance, block.outcomes);
    });
    await this.countLate();
    this.hold(apart, "check");
    this.hold(taken + unmet + broken, "load");
    this.heldAsFiles = await holdFiles(this.staged, this.report().drift, this.done.files);
    if (this.heldAsFiles > 0) {
      this.hold(this.heldAsFiles, "load");
      await this.countLate();
    }
    if (sliced) await clock.timed("rows that stay", () => this.holdForStaying(meets));
  }

  /**
   * Holds records in whose way a row is that stays after all, by its key where there is one or by another rule of the
   * target: a slice that has lost its last record, held for whatever reason, is not replaced.
   */
  private async holdForStaying(keyed: boolean): Promise<void> {
    const { client, id, compiled } = this.of;
    while (this.heldLate > 0) {
      await noteSlices(client, compiled.plan, staging(id));
      const taken = keyed ? await findTaken(this.staged) : 0;
      const { broken } = await findBroken(this.staged);
      if (taken + broken === 0) return;
      this.hold(taken + broken, "load");
      await this.countLate();
    }
  }

  /** Who sent the delivery, where nobody has said and all records name one sender; else null. */
  private ofOne(): string | null {
    const [only, other] = this.done.senders;
    return only && only[0] !== "" && !other && this.of.delivery.sender === "" ? only[0] : null;
  }

  /** The fields whose column has not come, which is asked once. */
  private async absentNow(): Promise<Absent> {
    const { client, id } = this.of;
    return (this.absent ??= await absentFields(client, id, this.done.files));
  }

  /** What further targets are written from. */
  private async sending(): Promise<Sending> {
    const { client, id, compiled, leaves, load } = this.of;
    const day = dayOf(load.askedAt);
    return { client, plan: compiled.plan, staging: staging(id), absent: await this.absentNow(), leaves, day };
  }

  /** Takes records out of staging whose rows a further target would refuse; gives how many. */
  private async holdRefused(): Promise<number> {
    const { client, id } = this.of;
    const refused = await refusedByFurther(await this.sending());
    for (const { name, rule, records } of refused) {
      this.rules.set(name, rule);
      await client.query(
        `insert into sieve.late_problem (load, record, check_key) select $1, r, $2 from unnest($3::int[]) r on conflict do nothing`,
        [id, printCheck({ kind: "target", rule: name }), records],
      );
    }
    const all = [...new Set(refused.flatMap((r) => r.records))];
    if (all.length > 0) await client.query(`delete from ${staging(id)} where _record = any($1)`, [all]);
    return all.length;
  }

  /** So many records that would have been inserted are held instead. */
  private hold(records: number, at: "check" | "load"): void {
    this.balance.outcomes.inserted -= records;
    this.balance.outcomes.held += records;
    this.balance.heldAt[at] += records;
    this.heldLate += records;
  }

  private async countLate(): Promise<void> {
    const { rows } = await this.of.client.query<{ check: string; n: number }>(
      "select check_key as check, count(*)::int as n from sieve.late_problem where load = $1 group by 1",
      [this.of.id],
    );
    this.late = new Map(rows.map((r) => [r.check, r.n]));
  }

  /** The writing that this load becomes. */
  private async beginWriting(): Promise<Writing> {
    const { client, load, compiled, writing, xids } = this.of;
    const about = { kind: "load", feed: load.feed, load: load.id, plan: compiled.plan, planId: load.plan } as const;
    const reason = load.letThrough ?? "";
    return await Writing.begin(client, { ...about, by: load.askedBy, reason }, { id: writing, xids });
  }

  /** Finds records that are one, and says in the ledger which were put to another and which wait for a decision. */
  private async match(targetExists: boolean, writing: Writing | null, expected: Expected): Promise<void> {
    const { client, id, compiled, load, references, clock } = this.of;
    const { tell, pairsThread } = this.options;
    const { outcomes } = this.balance;
    await clock.timed("matching", async () => {
      await tell("matching");
      const { merged, waiting, metrics } = await matchStaged({
        client,
        id,
        feed: load.feed,
        compiled,
        staging: staging(id),
        targetExists,
        lists: references,
        pairsThread,
        writing,
        expected,
        progress: () => tell(),
      });
      await noteMatched(client, id, new Set(merged), new Set(waiting));
      outcomes.inserted -= merged.length + waiting.length;
      outcomes.merged += merged.length;
      outcomes.waiting += waiting.length;
      this.matches = metrics;
      await tell("closing");
    });
  }

  /** What the load would do to its target, where it ends without doing it: it is a trial, or a gate stops it. */
  private async weigh(exists: boolean): Promise<void> {
    const { client, id, compiled, clock } = this.of;
    if (this.heldLate > 0) await this.holding.markLate(this.late, false);
    if (this.trial) this.outlook = await copyOutlook(client, compiled.plan);
    if (compiled.plan.load.further) {
      const further = new FurtherTargets(await this.sending());
      await clock.timed("further targets", () => further.weigh());
      this.further = further.counts;
    }
    if (compiled.plan.load.mode !== "upsert" || !exists) return;
    const meeting = await this.meeting();
    await meet(meeting, client);
    await countUpsert(meeting, client, id, this.balance);
    this.kept = await countKept(meeting, client, id);
  }

  /** Writes the target and the quarantine, and what follows for what was held before. */
  private async write(writing: Writing, expected: Expected, exists: boolean): Promise<void> {
    const { client, db, id, load, compiled, clock, successor } = this.of;
    const { plan } = compiled;
    const { holding, done } = this;
    if (this.heldLate > 0) await holding.markLate(this.late, true);
    const further = plan.load.further ? new FurtherTargets(await this.sending(), furtherWriting(writing)) : null;
    await this.writeFurther(further, "before");
    if (plan.load.taken_from) await takeHanded({ client, plan, staging: staging(id) });
    await clock.timed("target", async () => {
      const into = new IntoTarget({ client, id, plan, balance: this.balance, writing, expected, exists });
      if (await into.takePlace(successor)) return await keepBesideColumns(client, plan);
      await alterTarget(client, plan);
      if (plan.load.mode !== "upsert") return await into.add();
      // The ledger and the staged records are as they were committed where nothing was held or merged since.
      const asCommitted = exists && this.heldLate === 0 && !plan.match && !this.gone && !plan.load.taken_from;
      await this.gone?.expect(expected);
      this.kept = await into.upsert(await this.meeting(), asCommitted ? db : null);
      await this.gone?.write(writing);
    });
    if (this.replaced && countsRemoved(plan)) this.replaced = { ...this.replaced, rows: writing.removed };
    this.reconciliation = await clock.timed("reconciliation", async () =>
      reconcile(writing, staging(id), await expected.settle(client)),
    );
    await clock.timed("quarantine", () => holding.write(load.feed, exists));
    await writing.end();
    await this.writeFurther(further, "after");
    this.further = further?.counts ?? null;
    if (plan.load.key.length > 0) await overtakeHeld(client, writing, staging(id));
    await noteSenders(client, load, this.ofOne(), done.senders);
    const back = await clock.timed("what came back", () => closeReturned(client, writing, done.returned));
    if (back.accepted + back.again > 0) this.returned = back;
    await keepHeldView(client, plan);
    await addProposals(client, id, done.lookUps);
    await pruneUndo(client, plan);
    const { held } = this.balance.outcomes;
    await clock.timed("statements of the plan", () =>
      runWithin(client, { load: id, plan, run: load.run, held, writing: writing.id }),
    );
  }

  private async writeFurther(further: FurtherTargets | null, turn: Further["turn"]): Promise<void> {
    if (!further) return;
    await this.of.clock.timed(`further targets ${turn} it`, async () => {
      await further.write(turn);
      await further.end(turn);
    });
  }

  private async meeting(): Promise<Meeting> {
    const { id, compiled, leaves } = this.of;
    const absent = await this.absentNow();
    return { plan: compiled.plan, staging: staging(id), met: stagingMet(id), absent, leaves };
  }
}
