import { MOST_AT_ONCE } from "@/core/kernel/limits.ts";
import { SieveError, grouped } from "@/core/kernel/problem.ts";
import { derivingOnly, valuesByFormula } from "@/core/mend/by-formula.ts";
import { mendedValues } from "@/core/mend/values.ts";
import type { Plan } from "@/core/plan/document.ts";
import { faultTitle } from "@/core/course/problem-words.ts";
import { transaction, type Db } from "@/store/db.ts";
import { planInForce } from "@/store/feeds.ts";
import { countHeld, heldValues, type HeldFilter } from "@/store/held.ts";
import { dayOf } from "@/store/loads.ts";
import { referencesOf } from "@/store/references.ts";
import { releaseIn } from "./release.ts";
import type { Mend, Released } from "./released.ts";

/** Held records of a page. */
const PAGE = 2_000;
/** Reasons why records stay that are told one by one. */
const MOST_REASONS = 8;

/** What is done to each of many held records before it is checked again. */
export type BulkMend =
  | { readonly how: "as they are" }
  /** A field gets one value, whatever it has. */
  | { readonly how: "set"; readonly field: string; readonly to: string }
  /** In a field, one text stands for another wherever it is. */
  | { readonly how: "replace"; readonly field: string; readonly find: string; readonly to: string }
  /** A field gets what a formula makes of the record; `it` is the field itself. */
  | { readonly how: "formula"; readonly field: string; readonly by: string };

/** What becomes, or would become, of many held records. */
export interface BulkReleased {
  readonly records: number;
  readonly released: number;
  /** Of those, so many wait for a decision, as they may be the same as rows of the target. */
  readonly waiting: number;
  /** Of those that are released, so many could not be compared with the target, which has too many rows. */
  readonly uncompared: number;
  /** Those that are overtaken by something newer, and stay for that. */
  readonly overtaken: number;
  /** Why the others stay: what is still wrong with them, the most frequent first, each with one that has it. */
  readonly stay: readonly { readonly title: string; readonly count: number; readonly example: string }[];
  /** Values that were, or would be, mended, as they were and as they are, the first ones. */
  readonly mended: readonly { readonly from: string; readonly to: string }[];
}

/** What is done to many records, one after the other. */
export type BulkStage = "mending" | "checking" | "closing";

class Looked extends Error {}

/**
 * Releases all held records of a filter, up to `MOST_AT_ONCE`, each mended in one way, in one transaction; those that do
 * not pass stay. With `preview` all of it is done and taken back, so that what is said beforehand is what will be.
 * Throws `no-field`, `formula-invalid`, `too-many` and `no-records`, and what
 * `onWork` throws, by which it is stopped.
 */
export async function releaseAll(
  db: Db,
  filter: HeldFilter & { readonly feed: string },
  {
    mend,
    by,
    preview,
    onWork = () => {},
  }: {
    mend: BulkMend;
    by: string;
    preview: boolean;
    /** Is told how far it is; what it throws takes all of it back. */
    onWork?: ((at: { stage: BulkStage; done: number; of: number }) => void) | undefined;
  },
): Promise<BulkReleased> {
  const { document } = await planInForce(db, filter.feed);
  const { fields } = document.contract;
  if (mend.how !== "as they are" && !fields.some((f) => f.name === mend.field)) {
    throw new SieveError("no-field", `The plan has no field ${mend.field}.`);
  }
  const total = await countHeld(db, filter);
  if (total > MOST_AT_ONCE) {
    throw new SieveError(
      "too-many",
      `${grouped(total)} records are held so; ${grouped(MOST_AT_ONCE)} can be released at once.`,
      {
        hint: "Take them load by load.",
      },
    );
  }
  const made = await makerOf(db, document, mend);
  const mends: Mend[] = [];
  const mended: { from: string; to: string }[] = [];
  for (let after = ""; ;) {
    const page = await heldValues(db, filter, after, PAGE);
    const values = page.map((h) => mendedValues(h, {}, { fields }));
    const next = made(values);
    for (const [i, { load, record }] of page.entries()) {
      const at = mend.how === "as they are" ? -1 : fields.findIndex((f) => f.name === mend.field);
      const [from, to] = at < 0 ? ["", ""] : [values[i]![at]!, next[i]!];
      if (to === from) mends.push({ load, record });
      else {
        mends.push({ load, record, values: { [fields[at]!.name]: to } });
        if (mended.length < MOST_REASONS && !mended.some((m) => m.from === from)) mended.push({ from, to });
      }
    }
    onWork({ stage: "mending", done: mends.length, of: total });
    const last = page.at(-1);
    if (!last || page.length < PAGE) break;
    after = `${last.load}:${last.record}`;
  }
  if (mends.length === 0) {
    throw new SieveError("no-records", "No such record is held any more.", { hint: "Look at the quarantine again." });
  }
  let results: readonly Released[] = [];
  let done = 0;
  const onBatch = (records: number): void => onWork({ stage: "checking", done: (done += records), of: mends.length });
  try {
    await transaction(db, async (client) => {
      results = await releaseIn(client, mends, by, { preview, onBatch });
      // The last moment at which it can be stopped.
      onWork({ stage: "closing", done: mends.length, of: mends.length });
      if (preview) throw new Looked();
    });
  } catch (error) {
    if (!(error instanceof Looked)) throw error;
  }
  return { ...countsOf(results, (check) => faultTitle(check, fields)), mended };
}

/** What a mend makes of its field in records, given as values by field of the plan in force. */
async function makerOf(
  db: Db,
  plan: Plan,
  mend: BulkMend,
): Promise<(records: readonly (readonly string[])[]) => readonly string[]> {
  if (mend.how === "as they are") return (records) => records.map(() => "");
  if (mend.how === "formula") {
    const deriving = derivingOnly(plan, mend.field, mend.by);
    return valuesByFormula(deriving, await referencesOf(db, deriving), { day: dayOf(new Date()) });
  }
  const at = plan.contract.fields.findIndex((f) => f.name === mend.field);
  return (records) => records.map((r) => (mend.how === "set" ? mend.to : r[at]!.replaceAll(mend.find, mend.to)));
}

function countsOf(results: readonly Released[], titleOf: (check: string) => string): Omit<BulkReleased, "mended"> {
  const reasons = new Map<string, { title: string; count: number; example: string }>();
  for (const { released, problems } of results) {
    if (released) continue;
    for (const { check, message } of problems) {
      const known = reasons.get(check);
      if (known) known.count++;
      else reasons.set(check, { title: titleOf(check), count: 1, example: message });
    }
  }
  const done = results.filter((r) => r.released);
  return {
    records: results.length,
    released: done.length,
    waiting: done.filter((r) => r.waits).length,
    uncompared: done.filter((r) => r.uncompared).length,
    overtaken: results.filter((r) => r.overtaken).length,
    stay: [...reasons.values()].sort((a, b) => b.count - a.count).slice(0, MOST_REASONS),
  };
}
