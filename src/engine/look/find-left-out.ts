import { probesOf } from "@/core/kernel/value-filter.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import { stepPart } from "@/core/cleanse/index.ts";
import { Course } from "@/core/course/course.ts";
import { fieldValues } from "@/core/course/of-record.ts";
import type { Sifted } from "@/core/course/sifted.ts";
import { transaction, wasEnded, type Db } from "@/store/db.ts";
import { getDelivery } from "@/store/deliveries.ts";
import { BLOCK, type LedgerBlock } from "@/store/ledger.ts";
import { getLoad } from "@/store/loads.ts";
import { compiledOfLoad, isExpired, rerunBlock, type Rerun } from "../load/rerun.ts";
import type { FoundRecord } from "./found-record.ts";

/** A block that may have left out a record with a value. */
type MayHave = LedgerBlock & { readonly feed: string; readonly title: string };

/** What was found in the time there was, and the feeds of which not all could be looked through. */
export interface FoundLeftOut {
  readonly records: readonly FoundRecord[];
  readonly unfinished: readonly string[];
}

/**
 * Records that steps of loads left out, with a value among their own as they stood then: what blocks may have them is told by
 * what the ledger keeps of their values, and those are computed again from the bytes of their delivery, the latest first.
 * Loads whose bytes or details have expired have none to show.
 */
export async function leftOutWith(
  db: Db,
  value: string,
  { most, ms }: { readonly most: number; readonly ms: number },
): Promise<FoundLeftOut> {
  const until = performance.now() + ms;
  const blocks = await blocksWith(db, value, most, ms);
  if (blocks === null) return { records: [], unfinished: ["What loads left out"] };
  const records: FoundRecord[] = [];
  const unfinished = new Set<string>();
  const again = new Map<number, Again>();
  for (const block of blocks) {
    if (records.length >= most) break;
    if (performance.now() > until) {
      unfinished.add(block.title);
      continue;
    }
    try {
      const of = again.get(block.load) ?? (await againOf(db, block.load));
      again.set(block.load, of);
      const sifted = await rerunBlock(db, of.rerun, of.course, block);
      records.push(...leftOutOf(block, sifted, of, value));
    } catch (error) {
      if (!isExpired(error)) throw error;
    }
  }
  return { records: records.slice(0, most), unfinished: [...unfinished] };
}

/** The blocks that may have it, the latest first; null where there was not the time to ask all. */
async function blocksWith(db: Db, value: string, most: number, ms: number): Promise<MayHave[] | null> {
  const bit = (n: number): string => {
    const place = `($${n}::bigint % (octet_length(b.left_values) * 8))`;
    return `(get_byte(substring(b.left_values from (${place} / 8 + 1)::int for 1), 0) >> (${place} % 8)::int) & 1 = 1`;
  };
  const probes = probesOf(value);
  try {
    return await transaction(db, async (client) => {
      await client.query(`set transaction read only; set local statement_timeout = ${Math.round(ms)}`);
      const { rows } = await client.query<MayHave>(
        `select ${BLOCK}, feed, title from (
           select b.*, l.feed, f.title from sieve.ledger_block b join sieve.load l on l.id = b.load join sieve.feed f on f.name = l.feed
           where b.left_values is not null and l.kind = 'load' and l.state = 'loaded'
             and ${probes.map((_, k) => bit(k + 1)).join(" and ")}) b
         order by load desc, block limit ${most * 2}`,
        probes,
      );
      return rows;
    });
  } catch (error) {
    if (!wasEnded(error)) throw error;
    return null;
  }
}

/** What blocks of one load are computed again with. */
interface Again {
  readonly rerun: Rerun;
  readonly course: Course;
  readonly names: readonly string[];
}

async function againOf(db: Db, id: number): Promise<Again> {
  const load = await getLoad(db, id);
  const compiled = await compiledOfLoad(db, load.id, load.plan);
  const { files } = await getDelivery(db, load.delivery);
  const rerun = { compiled, files, facts: load.report?.files ?? [] };
  return { rerun, course: new Course(compiled), names: compiled.fields.map((f) => f.name) };
}

function leftOutOf(block: MayHave, sifted: Sifted, { rerun, names }: Again, value: string): FoundRecord[] {
  const found: FoundRecord[] = [];
  const steps = rerun.compiled.plan.cleanse;
  for (let r = 0; r < sifted.block.count; r++) {
    if (sifted.verdict[r] !== VERDICT.leftOut) continue;
    const values = fieldValues(sifted, r);
    if (!values.includes(value)) continue;
    const step = steps[sifted.leftOutBy[r]! - 1];
    found.push({
      ...{ feed: block.feed, title: block.title, load: block.load, record: block.firstRecord + r },
      state: "left out",
      file: rerun.facts[block.file]!.name,
      line: sifted.block.origin.line[r]!,
      ...{ names, values },
      reason: step ? `step ${sifted.leftOutBy[r]!}, ${stepPart(step.do).words(step)}` : "",
      endedBy: "",
      endedAt: null,
    });
  }
  return found;
}
