import { targetFields } from "@/core/plan/target-fields.ts";
import { mendedValues } from "@/core/mend/values.ts";
import { overlaps } from "@/core/check/between/overlaps.ts";
import { parent } from "@/core/check/between/parent.ts";
import { extraOf, mapColumns } from "@/core/map/columns.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { betweenCheck, type Compiled, type Problem } from "@/core/course/compiled.ts";
import { intoFurther } from "@/core/course/into-further.ts";
import { siftRows } from "@/core/course/recheck.ts";
import { fieldValues, problemsOf } from "@/core/course/of-record.ts";
import type { Run } from "@/core/plan/parameters.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import { NOT_OF_TYPE, VERDICT } from "@/core/kernel/verdict.ts";
import { dayOf } from "@/store/loads.ts";
import { ident, type Client } from "@/store/db.ts";
import { referencesOf } from "@/store/references.ts";
import { getPlan, type PlanVersion } from "@/store/feeds.ts";
import type { References } from "@/core/kernel/reference.ts";
import { deliveryLists } from "../load/delivery-lists.ts";
import { apartInTarget } from "../load/between.ts";
import { INTO, takeHanded, type Sending } from "../writing/further-rows.ts";
import { FurtherTargets, furtherWriting } from "../writing/further.ts";
import { LEAVE, freshRecords, meet, needsLeave, writeOver, type Absent, type Meeting } from "../writing/meet.ts";
import { absentFields } from "../load/staged.ts";
import { sameSlice } from "../writing/slice.ts";
import { columnsByName, staged, stagedColumns, tableOf } from "../writing/target.ts";
import { alterTarget } from "../writing/alterations.ts";
import { noteBefore, noteRows, rowNow, turnOf, type NotedRow } from "@/store/writings.ts";
import { findLookAlikes } from "../match/match-released.ts";
import { putPairs, putWaiting, type PairRow } from "../match/records.ts";
import { takeRefused } from "./refused.ts";
import type { HeldRow, Overtaken, ReleaseOptions, Released } from "./released.ts";
import { DIFFERS, PART, PLACE, WRITING, Writing } from "../writing/writing.ts";

/** Records that are checked and written at a time. */
const BATCH = 5_000;

/** The release of records of one load, which is one writing. */
export class Release {
  private readonly staging = ident("released records");
  private readonly met = ident("released met");
  private readonly marks = ident("released marks");
  private writing!: Writing;
  private further: FurtherTargets | null = null;
  /** Whether its records could not be compared with the target. */
  private uncompared = false;

  private constructor(
    private readonly client: Client,
    private readonly version: PlanVersion,
    private readonly compiled: Compiled,
    private readonly load: {
      id: number;
      /** The turn of its writing. */
      turn: number;
      fields: readonly string[];
      files: readonly FileFacts[];
      absent: Absent;
    },
    private readonly options: ReleaseOptions & { by: string },
    private readonly lists: References,
  ) {}

  static async begin(
    client: Client,
    version: PlanVersion,
    load: number,
    options: ReleaseOptions & { by: string },
  ): Promise<Release> {
    const { rows } = await client.query<{ delivery: number; plan: number; turn: number; run: Run; files: FileFacts[] }>(
      `select delivery, plan, run, ${turnOf("writing")} as turn, coalesce(report->'files', '[]') as files from sieve.load where id = $1`,
      [load],
    );
    const { delivery, plan, turn, run, files } = rows[0]!;
    const own = await deliveryLists(client, delivery, version.document);
    const lists = new Map([...(await referencesOf(client, version.document)), ...own]);
    await alterTarget(client, version.document);
    const fields = (await getPlan(client, plan)).document.contract.fields.map((f) => f.name);
    const about = { id: load, turn, fields, files, absent: await absentFields(client, load, files) };
    return new Release(
      client,
      version,
      // What its load was told holds for its records; what was switched off was so for the load alone.
      compilePlan(version.document, lists, { day: dayOf(new Date()), run: { parameters: run.parameters } }),
      about,
      options,
      lists,
    );
  }

  async run(held: readonly HeldRow[], given: (h: HeldRow) => Record<string, string>): Promise<Released[]> {
    const { client, version, compiled, load, options, marks } = this;
    const { plan } = compiled;
    this.writing = await Writing.begin(client, {
      kind: "release",
      feed: plan.feed,
      load: load.id,
      plan,
      planId: version.id,
      by: options.by,
      reason: options.reason ?? "",
    });
    this.writing.expect(held.length);
    if (plan.load.further) {
      const about = { ...furtherWriting(this.writing), over: options.overtaken === true };
      this.further = new FurtherTargets(this.sending(), about);
    }
    await client.query(
      `create temp table ${marks} (record integer, state text, mended jsonb, wrote boolean) on commit drop`,
    );
    // What is asked of a record beside others that come with it can only be asked one after the other.
    const kinds = compiled.checks.map((c) => betweenCheck(c)?.check);
    const beside = kinds.includes(parent.id) || kinds.includes(overlaps.id);
    const size = beside ? 1 : BATCH;
    const results: Released[] = [];
    for (let at = 0; at < held.length; at += size) {
      const some = held.slice(at, at + size);
      results.push(...(await this.batch(some, given)));
      options.onBatch?.(some.length);
    }
    if (results.some((r) => r.released)) {
      await this.further?.end("before");
      await this.writing.end();
      await this.further?.end("after");
    }
    await this.mark();
    await client.query(`drop table ${marks}`);
    return results;
  }

  /** What further targets are written from. */
  private sending(): Sending {
    const { client, staging, load } = this;
    const { plan } = this.compiled;
    const day = dayOf(new Date());
    return { client, plan, staging, absent: load.absent, leaves: needsLeave(plan), day };
  }

  private async batch(held: readonly HeldRow[], given: (h: HeldRow) => Record<string, string>): Promise<Released[]> {
    const { client, compiled, load, staging, met } = this;
    const { plan, fields } = compiled;
    const values = held.map((h) => mendedValues({ ...h, fields: [...load.fields] }, given(h), compiled));
    const sifted = siftRows(
      compiled,
      fields.map((f) => f.name),
      values,
    );
    const stays = new Map<number, Problem[]>();
    const passing: object[] = [];
    const into = intoFurther(compiled, sifted);
    for (const [r, h] of held.entries()) {
      const now = fieldValues(sifted, r);
      if (sifted.verdict[r] !== VERDICT.passes) {
        stays.set(h.record, problemsOf(sifted, compiled, r));
        continue;
      }
      const apart = await apartInTarget(client, load.id, compiled, now);
      if (apart.some((p) => p.onFailure !== "note")) {
        stays.set(h.record, apart);
        continue;
      }
      const left = [...sifted.left].flatMap(([f, is]) => (is[r] === 1 ? [f] : []));
      passing.push({
        r: h.record,
        v: [...now.map((v, f) => (sifted.faults[f]![r] === NOT_OF_TYPE ? "" : v)), ...this.extraOf(h)],
        f: h.found,
        l: left.length > 0 ? left : null,
        i: into(r),
      });
    }
    await this.stage(passing);
    for (const [record, problems] of await takeRefused(this.sending(), {
      compiled,
      load: load.id,
      writing: this.writing,
    }))
      stays.set(record, problems);
    const waits = await this.putToWait();
    const meeting: Meeting = {
      plan,
      staging,
      met,
      temporary: true,
      absent: load.absent,
      leaves: needsLeave(plan),
    };
    await this.further?.write("before");
    if (plan.load.taken_from) await takeHanded({ client, plan, staging });
    const overtaken = await this.write(meeting);
    await this.further?.write("after");
    const results = held.map((h): Released => {
      const newer = overtaken.get(h.record);
      const problems = stays.get(h.record) ?? [];
      const released = !stays.has(h.record) && (newer === undefined || this.options.overtaken === true);
      return {
        load: load.id,
        record: h.record,
        released,
        problems: released ? [] : problems,
        ...(waits.has(h.record) ? { waits: waits.get(h.record)! } : {}),
        ...(released && this.uncompared ? { uncompared: true } : {}),
        ...(newer && !released ? { overtaken: newer } : {}),
      };
    });
    await this.note(held, results, given);
    await client.query(`drop table if exists ${met}, ${staging}`);
    return results;
  }

  /** What the plan keeps of a held record's columns that no field takes: one value, or none where it keeps nothing. */
  private extraOf(held: HeldRow): string[] {
    const { compiled, load } = this;
    if (compiled.plan.map.extra !== "keep") return [];
    const columns = load.files[held.file]?.columns ?? [];
    const { extra } = mapColumns(columns, compiled.fields);
    return [extraOf(columns, held.cells ?? [], extra)];
  }

  private async stage(rows: readonly object[]): Promise<void> {
    const { client, compiled, staging } = this;
    const values = stagedColumns(compiled.plan).map((c, i) => `nullif(x.v->>${i}, '')::${c.type} as ${ident(c.name)}`);
    await client.query(
      `create temp table ${staging} on commit drop as
       select x.r as "_record", x.f as "_found", x.l as ${ident(LEAVE)}, x.i as ${ident(INTO)}, ${values.join(", ")}
       from jsonb_to_recordset($1::jsonb) as x (r integer, v jsonb, f text, l integer[], i integer[])`,
      [JSON.stringify(rows)],
    );
  }

  /**
   * Takes records out of staging that may be the same as a row of the target or as one another: they wait for a
   * person's decision, as they would have had they not been held. Gives with how many each may be the same.
   */
  private async putToWait(): Promise<Map<number, number>> {
    const { client, compiled, staging, load, version, writing } = this;
    const { feed } = compiled.plan;
    const comparison = { client, id: load.id, feed, compiled, staging, lists: this.lists };
    const waits = new Map<number, number>();
    const pairs = await findLookAlikes(comparison);
    if (pairs === null) this.uncompared = true;
    if (!pairs || pairs.size === 0) return waits;
    const rows: PairRow[] = [];
    for (const [record, list] of [...pairs].sort(([a], [b]) => a - b)) {
      // Of two that are released together the first is there when it is asked about the other, or waits itself.
      const own = list.map((p) =>
        p.other === null || waits.has(p.other) ? p : { ...p, other: null, row_load: load.id, row_record: p.other },
      );
      waits.set(record, own.length);
      rows.push(...own);
    }
    const records = [...waits.keys()];
    const before: NotedRow[] = [];
    for (const record of records) before.push(await rowNow(client, "waiting", { load: load.id, record }));
    await noteRows(client, writing.id, before);
    await putWaiting(comparison, records, { plan: version.id, writing: writing.id });
    await client.query("delete from sieve.match_pair where load = $1 and record = any($2) and band = 'ask'", [
      load.id,
      records,
    ]);
    await putPairs(client, { load: load.id, feed, plan: version.id }, rows);
    await client.query(`delete from ${staging} where "_record" = any($1)`, [records]);
    await client.query(
      `insert into ${this.marks} (record, state, wrote) select r, 'waits', false from unnest($1::int[]) r`,
      [records],
    );
    return waits;
  }

  /** Writes what is staged, but for what is overtaken, unless that was asked for; gives those records with what stands there. */
  private async write(meeting: Meeting): Promise<Map<number, Overtaken>> {
    const { client, compiled, writing, staging, met, load, options } = this;
    const { plan } = compiled;
    const overtaken = new Map<number, Overtaken>();
    if (plan.load.mode !== "upsert") {
      for (const { record, by } of await this.replacedSince()) overtaken.set(record, { by, now: {} });
      if (!options.overtaken) {
        await client.query(`delete from ${staging} where "_record" = any($1)`, [[...overtaken.keys()]]);
      }
      const { rows } = await client.query<{ n: number }>(`select count(*)::int as n from ${staging}`);
      if (rows[0]!.n > 0) {
        await writing.insertStaged(`${staging} s`, rows[0]!.n);
      }
      await this.wrote(`select "_record" from ${staging}`);
      return overtaken;
    }
    await meet(meeting, client);
    const fields = targetFields(plan)
      .map((f) => f.name)
      .slice(0, 45);
    const now = `jsonb_build_object(${fields.map((n) => `'${n}', t.${ident(n)}::text`).join(", ")})`;
    const mine = `(t.xmin = any(${writing.ours}) and t.${ident(WRITING)} is not null)`;
    // A release of an older load's record is no newer than this one.
    const later = `(${turnOf(`t.${ident(WRITING)}`)} > ${load.turn} and not exists (select from sieve.writing w
        where w.id = t.${ident(WRITING)} and w.kind = 'release' and w.load < ${load.id}))`;
    const { rows } = await client.query<{ record: number; by: number | null; now: Record<string, string | null> }>(
      `select m."_record" as record, case when ${mine} then t.${ident(WRITING)} end as by, ${now} as now
       from ${met} m join ${staging} s on s."_record" = m."_record"
         join ${tableOf(plan)} t on t.ctid = m.${PLACE} and t.tableoid = m.${PART}
       where m.${DIFFERS} and case when ${mine} then ${later} else t.xmin::text is distinct from s."_found" end`,
    );
    for (const { record, by, now: stands } of rows) overtaken.set(record, { by, now: stands });
    if (!options.overtaken && rows.length > 0) {
      const which = [rows.map((r) => r.record)];
      await client.query(`update ${met} set ${DIFFERS} = false where "_record" = any($1)`, which);
      await client.query(`delete from ${staging} where "_record" = any($1)`, which);
    }
    await this.wrote(
      `select "_record" from ${met} where ${DIFFERS} union all select s."_record" from ${freshRecords(meeting)}`,
    );
    await writeOver(writing, meeting);
    return overtaken;
  }

  /** Staged records in whose place a later load has put others, with its writing: it has replaced all rows, or those of their slice. */
  private async replacedSince(): Promise<{ record: number; by: number }[]> {
    const { client, staging, load } = this;
    const { plan } = this.compiled;
    if (plan.load.mode !== "replace") return [];
    let row = "";
    if (plan.load.slice !== undefined) {
      const have = await columnsByName(client, tableOf(plan));
      const same = sameSlice(
        plan,
        (n) => `t.${ident(n)}`,
        (n) => staged(n, have.get(n)),
      );
      row = ` and exists (select from ${tableOf(plan)} t where t.${ident(WRITING)} = w.id and ${same})`;
    }
    const { rows } = await client.query<{ record: number; by: number }>(
      `select s."_record" as record, w.id as by from ${staging} s cross join lateral (
         select w.id from sieve.writing w where w.target = $1 and w.turn > $2 and w.kind = 'load' and w.load > $3
           and w.undone_by is null${row} order by w.turn desc limit 1) w`,
      [tableOf(plan), load.turn, load.id],
    );
    return rows;
  }

  private async wrote(records: string): Promise<void> {
    await this.client.query(
      `insert into ${this.marks} (record, state, wrote) select "_record", 'wrote', true from (${records}) x`,
    );
  }

  /** Notes what becomes of each record, and what a person has typed. */
  private async note(
    held: readonly HeldRow[],
    results: readonly Released[],
    given: (h: HeldRow) => Record<string, string>,
  ): Promise<void> {
    const rows = results.map((r, i) => {
      const mended = { ...held[i]!.mended, ...given(held[i]!) };
      return {
        record: r.record,
        state: r.released ? "released" : r.overtaken ? "overtaken" : held[i]!.state,
        mended: Object.keys(mended).length > 0 ? mended : null,
      };
    });
    await this.client.query(
      `insert into ${this.marks} (record, state, mended) select record, state, mended
       from jsonb_to_recordset($1::jsonb) as x (record integer, state text, mended jsonb)`,
      [JSON.stringify(rows)],
    );
  }

  /** Sets the records' states as they were noted, once the writing is there. */
  private async mark(): Promise<void> {
    const { client, load, writing, marks, options } = this;
    if (options.preview) return;
    // However few records the planner believes a load to have held, each is found by an index.
    await client.query(`create index on ${marks} (record); analyze ${marks}`);
    const marked = (where: string): string => `exists (select from ${marks} m where m.record = r.record and ${where})`;
    await noteBefore(client, writing.id, "held", `r.load = ${load.id} and ${marked("m.state = 'released'")}`, {
      wrote: marked("m.wrote"),
      waits: marked("m.state = 'waits'"),
    });
    await client.query(
      `update sieve.held h set state = m.state, mended = m.mended,
         ended_by = case when m.state = 'released' then $1 else h.ended_by end,
         ended_at = case when m.state = 'released' then now() else h.ended_at end,
         writing = case when m.state = 'released' then ${writing.id} else h.writing end
       from ${marks} m where h.load = ${load.id} and h.record = m.record and m.wrote is null`,
      [options.by],
    );
  }
}
