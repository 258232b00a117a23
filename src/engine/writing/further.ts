import { assertFurther, fieldBehind, furtherWords, validOf, type FurtherCounts } from "@/core/plan/further.ts";
import type { Further, Takes, Valid } from "@/core/plan/further-schema.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { ident, type Client } from "@/store/db.ts";
import { alterTarget } from "./alterations.ts";
import { emptyTable } from "./existing-table.ts";
import { ROW, aimsOf, makeRows, nameOf, refuseTwice, type Aim, type Sending } from "./further-rows.ts";
import { countMet, freshRecords, meet, needsLeave, writeOver, type Meeting } from "./meet.ts";
import { Expected, reconcile } from "./reconcile.ts";
import { columnsByName, staged, tableOf } from "./target.ts";
import { DIFFERS, PART, PLACE, WRITING, Writing, type AboutWriting } from "./writing.ts";

/** The SQL of what a row of the same load and more records come to together: `t` is the row, `d` what the records came to. */
const TOGETHER: Readonly<Record<Takes, (t: string, d: string) => string>> = {
  first: (t, d) => `coalesce(${t}, ${d})`,
  last: (t, d) => `coalesce(${t}, ${d})`,
  least: (t, d) => `least(${t}, ${d})`,
  most: (t, d) => `greatest(${t}, ${d})`,
  sum: (t, d) => `case when ${t} is null then ${d} when ${d} is null then ${t} else ${t} + ${d} end`,
  count: (t, d) => `coalesce(${t}, 0) + ${d}`,
};

/** What the writings of further targets are beside the one of the plan's own: the same, of the same act. */
export function furtherWriting(own: Writing): Omit<AboutWriting, "plan"> {
  const { plan: _, ...about } = own.about;
  return { ...about, act: own.id };
}

/** The further targets of a plan, written from staged records in the order of the plan. */
export class FurtherTargets {
  private readonly aims: readonly Aim[];
  private readonly writings = new Map<Aim, Writing>();
  private readonly counted = new Map<Aim, FurtherCounts>();

  /** `about`: what the writings are, and whether rows that are newer are written over; none where nothing is written. */
  constructor(
    private readonly sending: Sending,
    private readonly about: (Omit<AboutWriting, "plan"> & { readonly over?: boolean }) | null = null,
  ) {
    this.aims = aimsOf(sending.plan);
  }

  /** What each was given and what became of it, in the order of writing. */
  get counts(): FurtherCounts[] {
    return [...this.counted.values()];
  }

  /** What would be written, where nothing is. */
  async weigh(): Promise<void> {
    const { client } = this.sending;
    for (const aim of this.aims) {
      const made = await makeRows(this.sending, aim, false);
      await refuseTwice(client, aim);
      let met = { updated: 0, unchanged: 0 };
      if (aim.plan.load.mode === "upsert" && (await columnsByName(client, tableOf(aim.plan))).size > 0) {
        const meeting = this.meeting(aim);
        await meet(meeting, client);
        met = await countMet(meeting, client);
        await client.query(`drop table ${meeting.met}`);
      }
      await client.query(`drop table ${aim.rows}`);
      this.count(aim, made, met);
    }
  }

  /** Writes those whose turn it is. Throws `row-twice`, `further-refused` and what a writing throws. */
  async write(turn: Further["turn"]): Promise<void> {
    for (const aim of this.aims.filter((a) => a.further.turn === turn)) {
      try {
        await this.writeOne(aim);
      } catch (error) {
        throw inWordsOf(error, aim.further);
      }
    }
  }

  private async writeOne(aim: Aim): Promise<void> {
    const { client } = this.sending;
    const { plan } = aim;
    await alterTarget(client, plan);
    const writing = await this.writingOf(aim);
    const made = await makeRows(this.sending, aim, true);
    await refuseTwice(client, aim);
    const load = this.about!.load;
    writing.expect(made.rows);
    const expected = new Expected(plan);
    let met = { updated: 0, unchanged: 0 };
    if (plan.load.mode === "upsert") {
      const meeting = this.meeting(aim);
      if (this.about!.kind === "release") await addToRows(client, aim, load);
      await meet(meeting, client);
      if (this.about!.kind === "release" && !this.about!.over) await leaveNewer(client, aim, meeting, writing);
      if (aim.further.mode === "insert only") await client.query(`update ${meeting.met} set ${DIFFERS} = false`);
      met = await countMet(meeting, client);
      const valid = validOf(aim.further);
      if (valid) {
        await this.writeHistory(aim, writing, { meeting, expected, valid });
        await client.query(`drop table ${meeting.met}, ${aim.rows}`);
        this.count(aim, made, met);
        return;
      }
      if (aim.further.mode === "update only") await client.query(`delete from ${freshRecords(meeting)}`);
      const have = await columnsByName(client, writing.table);
      expected.addUpsert(meeting, load, (n) => staged(n, have.get(n)));
      const totals = await expected.settle(client);
      await writeOver(writing, meeting);
      if (this.about!.kind === "load") await reconcile(writing, aim.rows, totals);
      await client.query(`drop table ${meeting.met}`);
    } else {
      if (plan.load.mode === "replace" && this.about!.kind === "load") {
        await writing.keepAll(aim.rows);
        await emptyTable(client, writing.table);
      }
      if (this.about!.kind === "release" && !this.about!.over && (await replacedSince(writing)))
        await client.query(`truncate ${aim.rows}`);
      await writing.insertStaged(`${aim.rows} s`, `select count(*)::int as n from ${aim.rows}`);
      const have = await columnsByName(client, writing.table);
      const own = (n: string): string =>
        n === "_load" ? `${load}` : n === "_record" ? "s._record" : staged(n, have.get(n));
      expected.add(`select ${expected.columns(own)} from ${aim.rows} s`);
      if (this.about!.kind === "load") await reconcile(writing, aim.rows, await expected.settle(client));
    }
    await client.query(`drop table ${aim.rows}`);
    this.count(aim, made, met);
  }

  /**
   * Writes a history: a row that changes holds until the day, and another from it on; one that holds only since that day
   * is changed in its place.
   */
  private async writeHistory(
    { rows, plan }: Aim,
    writing: Writing,
    { meeting, expected, valid }: { meeting: Meeting; expected: Expected; valid: Valid },
  ): Promise<void> {
    const { client, day } = this.sending;
    const { met } = meeting;
    const { table } = writing;
    const held = `${table} t on t.ctid = m.${PLACE} and t.tableoid = m.${PART}`;
    const ending = ident("rows that end");
    const row = meeting.row ?? "_record";
    const values = meeting.columns!.map((n) => ident(n));
    await client.query(
      `create temp table ${ending} on commit drop as select m.* from ${met} m join ${held} where m.${DIFFERS} and t.${ident(valid.from)} < '${day}'`,
    );
    // What is left to be put there: what met nothing, and what takes the place of a row that ends.
    await client.query(
      `delete from ${rows} s using ${met} m where m.${row} = s.${row} and not exists (select from ${ending} e where e.${row} = s.${row});
       update ${rows} s set ${values.map((v) => `${v} = e.${v}`).join(", ")} from ${ending} e where e.${row} = s.${row};
       update ${met} m set ${DIFFERS} = false from ${ending} e where e.${row} = m.${row}`,
    );
    const days: readonly string[] = [valid.from, valid.until];
    const have = await columnsByName(client, table);
    const changed = expected.columns((n) => (days.includes(n) ? `t.${ident(n)}` : `m.${ident(n)}`));
    expected.add(`select ${changed} from ${met} m join ${held} where m.${DIFFERS}`);
    const ended = expected.columns((n) => (n === valid.until ? `'${day}'::date` : `t.${ident(n)}`));
    expected.add(`select ${ended} from ${ending} m join ${held}`);
    expected.add(`select ${expected.columns((n) => staged(n, have.get(n)))} from ${rows} s`);
    const totals = await expected.settle(client);
    await writing.keepMet(met);
    const others = meeting.columns!.filter((n) => !plan.load.key.includes(n));
    await writing.change(met, others, { origin: true, sure: false });
    await writing.mark(`select ${PLACE} as place, ${PART} as part from ${ending}`, valid.until, `'${day}'::date`);
    await writing.insertStaged(`${rows} s`, `select count(*)::int as n from ${rows}`);
    if (this.about!.kind === "load") await reconcile(writing, rows, totals);
    await client.query(`drop table ${ending}`);
  }

  /** Ends the writings of a turn; of a release those that wrote something. */
  async end(turn: Further["turn"]): Promise<void> {
    for (const [aim, writing] of this.writings) {
      if (aim.further.turn !== turn) continue;
      if (this.about!.kind === "load" || writing.inserted + writing.updated + writing.removed > 0) await writing.end();
    }
  }

  private async writingOf(aim: Aim): Promise<Writing> {
    const known = this.writings.get(aim);
    if (known) return known;
    const writing = await Writing.begin(this.sending.client, { ...this.about!, plan: aim.plan });
    this.writings.set(aim, writing);
    return writing;
  }

  private meeting({ further, columns, plan, rows, number }: Aim): Meeting {
    const { absent, leaves } = this.sending;
    const to = (fields: ReadonlySet<string>): string[] =>
      columns.flatMap((c) => (fields.has(fieldBehind(c) ?? "") ? [c.name] : []));
    const some = [...(absent?.some ?? [])].flatMap(([field, where]) =>
      to(new Set([field])).map((name) => [name, where] as const),
    );
    const valid = validOf(further);
    // Of a history the row that holds now is met, by the key without its day.
    const now = valid && {
      plan: { ...plan, load: { ...plan.load, key: further.key } },
      columns: columns.map((c) => c.name),
      only: `t.${ident(valid.until)} is null`,
    };
    return {
      plan,
      staging: rows,
      met: ident(`met of target ${number}`),
      temporary: true,
      ...now,
      leaves: leaves && further.rows === "record" && further.each === undefined && needsLeave(plan),
      ...(absent ? { absent: { all: new Set(to(absent.all)), some: new Map(some) } } : {}),
      ...(further.each === undefined ? {} : { row: ROW }),
    };
  }

  private count(
    aim: Aim,
    made: Awaited<ReturnType<typeof makeRows>>,
    met: { updated: number; unchanged: number },
  ): void {
    const { further } = aim;
    const fresh = made.rows - met.updated - met.unchanged;
    const became =
      further.mode === "insert only"
        ? { inserted: fresh, updated: 0, unchanged: 0, left: made.rows - fresh }
        : further.mode === "update only"
          ? { inserted: 0, ...met, left: fresh }
          : { inserted: fresh, ...met, left: 0 };
    const counts: FurtherCounts = { target: nameOf(further), words: furtherWords(further), ...made, ...became };
    assertFurther(counts);
    this.counted.set(aim, counts);
  }
}

/** What records of a release come to, together with the row that the other records of their load have made. */
async function addToRows(client: Client, { further, columns, plan, rows }: Aim, load: number): Promise<void> {
  if (further.rows !== "key") return;
  const have = await columnsByName(client, tableOf(plan));
  const set = columns
    .filter((c) => !further.key.includes(c.name))
    .map((c) => `${ident(c.name)} = ${TOGETHER[c.takes ?? "first"](`t.${ident(c.name)}`, `d.${ident(c.name)}`)}`);
  if (set.length === 0) return;
  const same = further.key.map((k) => `t.${ident(k)} = d.${ident(k)}::${have.get(k)!.type}`);
  const valid = validOf(further);
  if (valid) same.push(`t.${ident(valid.until)} is null`);
  await client.query(
    `update ${rows} d set ${set.join(", ")} from ${tableOf(plan)} t
     where ${same.join(" and ")} and t."_load" = ${load} and t.${ident(WRITING)} is not null`,
  );
}

/** Rows that something newer than the records' load has written stay as they are; a release of an older load's is no newer. */
async function leaveNewer(client: Client, { plan, further }: Aim, { met }: Meeting, writing: Writing): Promise<void> {
  const { load } = writing.about;
  // Where many records make a row, those of the same load are added up.
  const others = further.rows === "key" ? ` and t."_load" <> ${load}` : "";
  await client.query(
    `update ${met} m set ${DIFFERS} = false from ${tableOf(plan)} t, sieve.writing w
     where t.ctid = m.${PLACE} and t.tableoid = m.${PART} and m.${DIFFERS} and t.xmin = any(${writing.ours})
       and w.id = t.${ident(WRITING)} and not (w.kind = 'release' and w.load < ${load})${others}
       and w.turn > (select coalesce(max(l.turn), 0) from sieve.writing l
         where l.load = ${load} and l.kind = 'load' and l.target = $1)`,
    [writing.table],
  );
}

/** Whether a load after a release's own has replaced all rows of the target: what is older has no place there any more. */
async function replacedSince({ client, about, table }: Writing): Promise<boolean> {
  if (about.plan.load.mode !== "replace") return false;
  const { rows } = await client.query<{ since: boolean }>(
    `select exists (select from sieve.writing where target = $1 and kind = 'load' and load > $2 and undone_by is null) as since`,
    [table, about.load],
  );
  return rows[0]!.since;
}

/** A refusal of the database by a rule of the table, in words; any other fault as it is. */
function inWordsOf(error: unknown, further: Further): unknown {
  const { code, message, detail } = error as { code?: string; message: string; detail?: string };
  // Class 23 of SQL's states: a constraint of the table.
  if (error instanceof SieveError || !code?.startsWith("23")) return error;
  return new SieveError("further-refused", `${nameOf(further)} refuses a row: ${message}.`, {
    detail: detail ?? "",
    hint: "Nothing was written, to this table or any other. Let the plan hold such records, or filter them from that target.",
  });
}
