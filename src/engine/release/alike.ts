import { compilePlan } from "@/core/course/compile.ts";
import type { Compiled, Problem } from "@/core/course/compiled.ts";
import { cleansedValues, soundValues } from "@/core/course/of-record.ts";
import { siftRows } from "@/core/course/recheck.ts";
import { outcomeOf, type Outcome } from "@/core/kernel/ledger.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { AlikeSearch, type LookedFor } from "@/core/mend/alike.ts";
import { alignCells } from "@/core/mend/align.ts";
import { mendedValues, type ToBeMended } from "@/core/mend/values.ts";
import type { ReadOptions } from "@/core/read/settings.ts";
import { rawText } from "@/core/read/source.ts";
import { transaction, type Db, type Queryable } from "@/store/db.ts";
import { FIELD_NAMES, getPlan } from "@/store/feeds.ts";
import { getLoad } from "@/store/loads.ts";
import { senderOfHeld } from "@/store/senders-of-load.ts";
import { noteBefore } from "@/store/writings.ts";
import { blocksAgain } from "../load/again.ts";

/** A held record and the record of a later load that it may be. */
export interface AlikePair {
  /** The held record. */
  readonly load: number;
  readonly record: number;
  readonly line: number;
  readonly problems: readonly Problem[];
  /** The record of the later load, from 0, and what became of it. */
  readonly again: number;
  readonly outcome: Outcome;
  /** Fields of the held record that were sound, those of them that are the same, and others that are spelled nearly so. */
  readonly sound: number;
  readonly same: number;
  readonly near: number;
  /** By field of the later load's plan: what the held record had, and what the other has. */
  readonly was: readonly string[];
  readonly is: readonly string[];
}

export interface AlikeFound {
  readonly fields: readonly string[];
  readonly pairs: readonly AlikePair[];
  /** Held records that were looked for, and those that were not, as there are too many. */
  readonly looked: number;
  readonly more: number;
  /** Records of the load that they were looked for among. */
  readonly among: number;
}

/** Held records that are looked for at once. */
const MOST_LOOKED_FOR = 20_000;
/** Pairs that are given, the likest. */
const MOST_PAIRS = 500;

/** What came of records that may be held ones that came again; what a step left out has not come. */
const CAME: ReadonlySet<Outcome> = new Set(["inserted", "updated", "unchanged", "merged", "waiting", "held"]);

interface Held extends ToBeMended {
  readonly load: number;
  readonly record: number;
  readonly line: number;
  readonly problems: readonly Problem[];
  /** Of one that could not be read. */
  readonly raw: Buffer | null;
  readonly columns: readonly string[];
  readonly read: ReadOptions;
}

/** Whose records a load has; asked once, and not for each held record. */
const SENDERS = "select s.sender from sieve.load_of_sender s where s.load = $1";

/** Records of a feed that were held before a load and still are, of whoever sent what the load has; the latest first. */
const OPEN = `from sieve.held h join sieve.load o on o.id = h.load join sieve.delivery d on d.id = o.delivery
  join sieve.plan p on p.id = o.plan
  cross join lateral (select ${senderOfHeld("d")} as sender) whose
  where h.feed = (select feed from sieve.load where id = $1) and h.load < $1 and h.state in ('held', 'overtaken') and h.expired_at is null
    and (whose.sender = '' or '' in (${SENDERS}) or whose.sender in (${SENDERS}))`;

/** How many held records of earlier loads a load may have brought back without anybody knowing; `most` ends the count. */
export async function countOpenBefore(db: Queryable, load: number, most?: number): Promise<number> {
  const { rows } = await db.query<{ n: number }>(
    `select count(*)::int as n from (select 1 ${OPEN} limit $2::bigint) x`,
    [load, most ?? null],
  );
  return rows[0]!.n;
}

/**
 * Looks among the records of a load for held ones of earlier loads that came again without their mark and under another
 * key, by what they have in common; nothing is changed. Throws `wrong-state` for a load that has not ended, `detail-expired` and `bytes-expired`.
 */
export async function findAlike(db: Db, load: number): Promise<AlikeFound> {
  const about = await getLoad(db, load);
  const { document } = await getPlan(db, about.plan);
  const plain = compilePlan(document);
  const fields = plain.fields.map((f) => f.name);
  const { rows } = await db.query<Held>(
    `select h.load, h.record, h.line, h.field_values as values, h.mended, h.problems, case when h.cells is null then h.raw end as raw,
       ${FIELD_NAMES} as fields,
       coalesce(o.report->'files'->h.file->'columns', '[]') as columns, coalesce(o.report->'files'->h.file->'read', '{}') as read
     ${OPEN}
     order by h.load desc, h.record limit ${MOST_LOOKED_FOR}`,
    [load],
  );
  const open = await countOpenBefore(db, load);
  const looked = lookedFor(plain, rows);
  const search = new AlikeSearch(
    looked,
    fields.length,
    document.load.key.map((k) => fields.indexOf(k)),
  );
  const outcomes = new Map<number, Outcome>();
  let among = 0;
  if (rows.length > 0) {
    const came = (byte: number): boolean => CAME.has(outcomeOf(byte)!);
    for await (const { block, sifted, which } of blocksAgain(db, load, came)) {
      among += which.length;
      for (const r of which) {
        const record = block.firstRecord + r;
        if (search.offer(record, soundValues(sifted, r))) outcomes.set(record, outcomeOf(block.outcomes[r]!)!);
      }
    }
  }
  const pairs = search.finish().slice(0, MOST_PAIRS);
  return {
    fields,
    looked: rows.length,
    more: open - rows.length,
    among,
    pairs: pairs.map(({ held, record, values, sound, same, near }) => {
      const { load: of, record: number, line, problems } = rows[held]!;
      return {
        ...{ load: of, record: number, line, problems, again: record, outcome: outcomes.get(record)!, sound, same },
        ...{ near, was: looked[held]!.values, is: values },
      };
    }),
  };
}

/** Held records by the fields of a plan, as it makes their values; those that could not be read put to columns where they fit. */
function lookedFor(compiled: Compiled, held: readonly Held[]): LookedFor[] {
  const { fields } = compiled;
  const texts = held.map((h) => {
    const raw = h.raw ? alignCells(compiled, { raw: rawText(h.raw), columns: h.columns, read: h.read }) : null;
    return mendedValues(h, { ...raw?.values, ...h.mended }, compiled);
  });
  const sifted = siftRows(
    compiled,
    fields.map((f) => f.name),
    texts,
  );
  return held.map(({ problems }, r) => {
    const faulty = new Set(problems.filter((p) => p.onFailure !== "note").map((p) => p.field));
    const sound = soundValues(sifted, r);
    const cleansed = cleansedValues(sifted, r);
    return {
      values: sound.map((v, f) => v || cleansed[f]!),
      wrong: fields.map(({ name }, f) => faulty.has(name) || sound[f] === ""),
    };
  });
}

/** A held record and the record that somebody says it is. */
export interface SaidSame {
  readonly load: number;
  readonly record: number;
  readonly again: number;
}

/** Of records that a person has closed, the reason begins so; it goes on with the number of the record, from 1. */
const SAID = "said to be its record ";

/**
 * Closes held records of which a person says that a load has brought them; gives of how many. They are held again when
 * the load is undone. Throws `wrong-state` where the load does not stand.
 */
export async function closeAlike(db: Db, load: number, said: readonly SaidSame[], by: string): Promise<number> {
  return await transaction(db, async (client) => {
    const { rows } = await client.query<{ feed: string; writing: number | null; state: string }>(
      "select feed, writing, state from sieve.load where id = $1 for share",
      [load],
    );
    const { feed, writing, state } = rows[0] ?? { feed: "", writing: null, state: "" };
    if (state !== "loaded" || writing === null) {
      throw new SieveError("wrong-state", `Load ${load} does not stand, so it has brought nothing back.`, {
        hint: "Only a load that has written its target can close held records.",
      });
    }
    await client.query(
      `create temp table said_same on commit drop as
       select x.* from jsonb_to_recordset($1::jsonb) x (load int, record int, again int)
         cross join lateral (select h.feed, h.state from sieve.held h where h.load = x.load and h.record = x.record offset 0) h
       where h.feed = $2 and x.load < ${load} and h.state in ('held', 'overtaken')`,
      [JSON.stringify(said), feed],
    );
    await noteBefore(client, writing, "held", "(r.load, r.record) in (select load, record from said_same)");
    const { rowCount } = await client.query(
      `update sieve.held h set state = 'closed', writing = ${writing}, ended_by = $1, ended_at = now(), came_as = s.again,
         reason = $2 || (s.again + 1) || ' of load ' || $3::int
       from said_same s where h.load = s.load and h.record = s.record`,
      [by, SAID, load],
    );
    return rowCount ?? 0;
  });
}

/** Takes that back: the records are held again. Gives of how many. Only what a person has said goes. */
export async function reopenAlike(db: Db, which: readonly Pick<SaidSame, "load" | "record">[]): Promise<number> {
  const { rowCount } = await db.query(
    `update sieve.held h set state = 'held', writing = null, reason = '', ended_by = '', ended_at = null, came_as = null
     from unnest($1::int[], $2::int[]) x (load, record)
     where h.load = x.load and h.record = x.record and h.state = 'closed' and starts_with(h.reason, $3)`,
    [which.map((w) => w.load), which.map((w) => w.record), SAID],
  );
  return rowCount ?? 0;
}
