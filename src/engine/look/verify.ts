import { createHash } from "node:crypto";
import {
  BYTE,
  OUTCOMES,
  addToBalance,
  emptyBalance,
  heldAtOf,
  heldByte,
  outcomeOf,
  type HeldAt,
} from "@/core/kernel/ledger.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import { counted, grouped } from "@/core/kernel/problem.ts";
import { siftFile } from "@/core/course/files.ts";
import { Course } from "@/core/course/course.ts";
import type { Sifted } from "@/core/course/sifted.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery, storedBytes, storedFile, type DeliveryFile } from "@/store/deliveries.ts";
import { ledgerBlocks, lateProblems } from "@/store/ledger.ts";
import { getLoad, type Load } from "@/store/loads.ts";
import { parentsInTarget } from "../load/between.ts";
import { heldRow } from "../load/held-rows.ts";
import { compiledOfLoad } from "../load/rerun.ts";
import { FileSpill, fileSpool } from "../threads/spool.ts";

/** What was found when a load was computed again from its stored bytes. */
export interface Verified {
  readonly load: number;
  readonly state: Load["state"];
  readonly records: number;
  /** What is not as it was written down, in words; none where all is. */
  readonly differs: readonly string[];
  /** What could not be looked at, as it is no longer kept, in words. */
  readonly expired: readonly string[];
}

/** Differences of one kind that are told one by one; of more, how many there are. */
const MOST_TOLD = 5;

class Findings {
  private readonly kinds = new Map<string, string[]>();

  add(kind: string, words: string): void {
    this.kinds.set(kind, [...(this.kinds.get(kind) ?? []), words]);
  }

  list(): string[] {
    return [...this.kinds].flatMap(([kind, all]) => [
      ...all.slice(0, MOST_TOLD),
      ...(all.length > MOST_TOLD ? [`${grouped(all.length - MOST_TOLD)} more of this kind (${kind})`] : []),
    ]);
  }
}

/** Loads that have a ledger which can be verified, the oldest first. */
export async function loadsToVerify(db: Db): Promise<number[]> {
  const { rows } = await db.query<{ id: number }>(
    `select id from sieve.load where sieve.has_ended(state) and report is not null order by id`,
  );
  return rows.map((r) => r.id);
}

/**
 * Computes a load again from its delivery's stored bytes, and holds the ledger, the balance, the quarantine and
 * the writing against that. Nothing is changed. Throws `no-load`.
 */
export async function verifyLoad(db: Db, id: number): Promise<Verified> {
  const load = await getLoad(db, id);
  const found = new Findings();
  if (!load.report || load.read === null) {
    return { load: id, state: load.state, records: 0, differs: [], expired: [] };
  }
  const { files } = await getDelivery(db, load.delivery);
  const gone = files.filter((f) => f.expiredAt !== null).map((f) => `the bytes of ${f.name}`);
  for (const file of files) if (file.expiredAt === null) await verifyBytes(db, file, found);
  if (load.expiredAt !== null) {
    gone.push("the outcomes of its records");
    const { rows } = await db.query("select from sieve.ledger_block where load = $1 limit 1", [id]);
    if (rows.length > 0) found.add("ledger", "its ledger is said to have expired, and part of it is there");
  } else {
    const ledger = await verifyBalance(db, load, found);
    if (gone.length === 0) await verifyCourse(db, load, files, ledger, found);
  }
  await verifyWriting(db, load, found);
  return { load: id, state: load.state, records: load.read, differs: found.list(), expired: gone };
}

async function verifyBytes(db: Db, file: DeliveryFile, found: Findings): Promise<void> {
  const hash = createHash("sha256");
  let bytes = 0;
  for await (const piece of storedBytes(db, file.id)) {
    hash.update(piece);
    bytes += piece.length;
  }
  if (bytes !== file.bytes)
    found.add("bytes", `${file.name}: ${grouped(bytes)} bytes are stored, ${grouped(file.bytes)} arrived`);
  else if (hash.digest("hex") !== file.sha256)
    found.add("bytes", `${file.name}: the stored bytes are not those that arrived`);
}

/** The ledger's bytes, a byte for each record, held against the balance. */
async function verifyBalance(db: Db, load: Load, found: Findings): Promise<Uint8Array> {
  const ledger = new Uint8Array(load.read!);
  const balance = emptyBalance();
  for await (const block of ledgerBlocks(db, load.id)) {
    try {
      addToBalance(balance, block.outcomes);
    } catch {
      found.add("ledger", `block ${block.block} of the ledger has a record with no outcome`);
    }
    if (block.firstRecord + block.outcomes.length > ledger.length) {
      found.add(
        "ledger",
        `block ${block.block} of the ledger goes beyond the ${counted(load.read!, "record")} that were read`,
      );
    } else ledger.set(block.outcomes, block.firstRecord);
  }
  const said = {
    inserted: load.inserted,
    updated: load.updated,
    unchanged: load.unchanged,
    merged: load.merged,
    held: load.held,
    waiting: load.waiting,
    "left out": load.leftOut,
  };
  if (balance.read !== load.read) {
    found.add("balance", `${counted(load.read!, "record")} were read, and the ledger has ${grouped(balance.read)}`);
  }
  for (const outcome of OUTCOMES) {
    const [own, report] = [balance.outcomes[outcome], load.report!.balance.outcomes[outcome]];
    if (own !== said[outcome]) {
      found.add("balance", `${outcome}: ${grouped(said[outcome] ?? 0)} in the balance, ${grouped(own)} in the ledger`);
    }
    if (report !== said[outcome]) {
      found.add(
        "balance",
        `${outcome}: ${grouped(said[outcome] ?? 0)} in the balance, ${grouped(report)} in the report`,
      );
    }
  }
  return ledger;
}

/** A held record as the quarantine has it. */
interface Kept {
  record: number;
  at: HeldAt;
  line: number;
  /** Its content has expired. */
  gone: boolean;
  raw: Buffer;
  cells: string[] | null;
  values: string[];
  problems: { check: string; message: string }[];
}

/** Runs the whole course over the stored files and holds each record's outcome, and each held record, against it. */
async function verifyCourse(
  db: Db,
  load: Load,
  files: readonly DeliveryFile[],
  ledger: Uint8Array,
  found: Findings,
): Promise<void> {
  const compiled = await compiledOfLoad(db, load.id, load.plan);
  const spill = new FileSpill();
  const { spool, close } = fileSpool();
  const course = new Course(compiled, { spill, expected: load.read! + 1 });
  const quarantine = load.state === "loaded" || load.state === "undone";
  const lateHeld = await heldLate(db, load.id);
  let records = 0;
  try {
    const parts = { next: 0 };
    for (const [i, file] of files.entries()) {
      for await (const sifted of siftFile(course, storedFile(db, file), i, compiled.plan.read, spool, parts)) {
        records += sifted.block.count;
        for (let r = 0; r < sifted.block.count; r++) {
          const record = sifted.first + r;
          const byte = ledger[record] ?? 0;
          const wrong = againstVerdict(sifted, r, byte, lateHeld.has(record));
          if (wrong)
            found.add(
              "outcome",
              `record ${record}, line ${sifted.block.origin.line[r]} of ${course.fileName}: ${wrong}`,
            );
        }
        if (quarantine) await verifyHeld(db, load.id, sifted, compiled, ledger, found);
      }
    }
    if (records !== load.read) {
      found.add("ledger", `the stored files have ${counted(records, "record")}, and ${grouped(load.read!)} were read`);
    }
    for (const { check, found: late } of course.resolveLate()) {
      const own = compiled.checks[check]!;
      const { key, onFailure } = own;
      if (onFailure === "note" || parentsInTarget(own)) continue;
      for (const { record } of late) {
        const byte = ledger[record] ?? 0;
        if (outcomeOf(byte) !== "held") {
          found.add(
            "outcome",
            `record ${record} is ${outcomeOf(byte) ?? "without an outcome"}, and the check ${key} holds it`,
          );
        }
      }
    }
    if (quarantine) {
      const { rows: count } = await db.query<{ n: number }>(
        "select count(*)::int as n from sieve.held where load = $1",
        [load.id],
      );
      if (count[0]!.n !== load.held) {
        found.add(
          "quarantine",
          `${counted(load.held ?? 0, "record")} held in the balance, ${grouped(count[0]!.n)} in the quarantine`,
        );
      }
    }
  } finally {
    spill.close();
    await close();
  }
}

/** Records that were held for what only the whole load or the target showed. */
async function heldLate(db: Db, load: number): Promise<Set<number>> {
  return new Set((await lateProblems(db, load, 0, 2 ** 31 - 1)).map((l) => l.record));
}

/** What is wrong with a record's outcome beside what the course made of it; null where nothing is. */
function againstVerdict({ verdict }: Sifted, r: number, byte: number, late: boolean): string | null {
  const outcome = outcomeOf(byte);
  const expected = {
    [VERDICT.unreadable]: heldByte("read"),
    [VERDICT.leftOut]: BYTE.leftOut,
    [VERDICT.unmatched]: heldByte("look up"),
    [VERDICT.held]: heldByte("check"),
  }[verdict[r]!];
  const words = (b: number): string =>
    outcomeOf(b) === "held" ? `held in ${heldAtOf(b) ?? "no stage"}` : (outcomeOf(b) ?? "without an outcome");
  if (expected !== undefined)
    return byte === expected ? null : `${words(byte)} in the ledger, ${words(expected)} by its bytes`;
  // A record that passes may be held for what the target or the whole load showed.
  if (outcome === null || outcome === "left out") return `${words(byte)} in the ledger, and it passes by its bytes`;
  if (outcome === "held" && !late) return "held in the ledger, and nothing says why: it passes by its bytes";
  return null;
}

/** Holds the quarantine's rows of a block against its records. */
async function verifyHeld(
  db: Db,
  load: number,
  sifted: Sifted,
  compiled: Compiled,
  ledger: Uint8Array,
  found: Findings,
): Promise<void> {
  const { first, block } = sifted;
  const { rows } = await db.query<Kept>(
    `select record, at, line, expired_at is not null as gone, raw, cells, field_values as values, problems from sieve.held
     where load = $1 and record >= $2 and record < $3`,
    [load, first, first + block.count],
  );
  const kept = new Map(rows.map((r) => [r.record, r]));
  for (let r = 0; r < block.count; r++) {
    const record = first + r;
    const byte = ledger[record] ?? 0;
    const row = kept.get(record);
    const tell = (words: string): void => found.add("quarantine", `held record ${record}: ${words}`);
    if (outcomeOf(byte) !== "held") {
      if (row) tell("it is in the quarantine, and the ledger does not have it as held");
      continue;
    }
    if (!row) {
      tell("it is held in the ledger, and the quarantine does not have it");
      continue;
    }
    const own = heldRow(sifted, compiled, r, heldAtOf(byte)!);
    if (row.at !== own.at) tell(`it stayed behind in ${row.at} by the quarantine, in ${own.at} by the ledger`);
    if (row.line !== own.line) tell(`it is of line ${row.line} by the quarantine, and stands in line ${own.line}`);
    if (row.gone) continue;
    if (row.raw.toString("base64") !== own.raw) tell("its raw text is not that of the file");
    if (JSON.stringify(row.cells) !== JSON.stringify(own.cells)) tell("its cells are not those of the file");
    if (JSON.stringify(row.values) !== JSON.stringify(own.field_values))
      tell("its values are not what the plan makes of it");
    for (const p of own.problems) {
      if (!row.problems.some((q) => q.check === p.check && q.message === p.message))
        tell(`it lacks the problem ${p.check}`);
    }
  }
}

/** Holds what the load's writing says against the ledger, and released records against the writings that released them. */
async function verifyWriting(db: Db, load: Load, found: Findings): Promise<void> {
  if (load.state !== "loaded" && load.state !== "undone") return;
  const { rows } = await db.query<{ id: number; inserted: number; updated: number; undone: boolean }>(
    "select id, inserted, updated, undone_by is not null as undone from sieve.writing where id = $1 and kind = 'load'",
    [load.writing],
  );
  const writing = rows[0];
  if (!writing && load.writing !== null)
    found.add("writing", `writing ${load.writing}, which the load became, is not there`);
  if (writing) {
    if (writing.inserted !== load.inserted) {
      found.add(
        "writing",
        `writing ${writing.id} put ${grouped(writing.inserted)} rows there, and ${grouped(load.inserted ?? 0)} records are inserted`,
      );
    }
    // Rows whose key no longer comes are changed too where they are marked, and so is one that a record was put to.
    const { gone } = load.report!;
    const marked = gone?.did === "mark" && !gone.left ? gone.rows : 0;
    const least = (load.updated ?? 0) + marked;
    if (writing.updated < least || writing.updated > least + (load.merged ?? 0)) {
      found.add(
        "writing",
        `writing ${writing.id} changed ${grouped(writing.updated)} rows, and ${grouped(load.updated ?? 0)} records are updated${marked > 0 ? ` and ${grouped(marked)} rows marked` : ""}`,
      );
    }
    if (writing.undone !== (load.state === "undone")) {
      found.add("writing", `the load is ${load.state}, and its writing ${writing.undone ? "was" : "was not"} undone`);
    }
  }
  const { rows: released } = await db.query<{ record: number; writing: number | null }>(
    `select h.record, h.writing from sieve.held h left join sieve.writing w on w.id = h.writing
     where h.load = $1 and h.state = 'released' and h.writing is not null and w.kind is distinct from 'release'`,
    [load.id],
  );
  for (const { record, writing: by } of released) {
    found.add("quarantine", `held record ${record} is released, and writing ${by} is no release`);
  }
}
