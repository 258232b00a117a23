import { firstRows } from "@/core/course/first-rows.ts";
import { listed, SieveError } from "@/core/kernel/problem.ts";
import type { References } from "@/core/kernel/reference.ts";
import { likenessWords } from "@/core/lookup/limits.ts";
import { lookUpSchema, type LookUp } from "@/core/lookup/schema.ts";
import { proposedFor } from "@/core/map/propose-look-up.ts";
import { repeatedWords, withKey } from "@/core/map/with-look-up.ts";
import type { Plan } from "@/core/plan/document.ts";
import { MemorySpill } from "@/core/check/repeats.ts";
import type { Profile } from "@/core/profile/facts.ts";
import { ProfileFold } from "@/core/profile/profile.ts";
import { planOf, propose } from "@/core/profile/propose.ts";
import { lastingReadOf } from "@/core/profile/lasting-read.ts";
import { doubtWords } from "@/core/read/doubt.ts";
import { openFile } from "@/core/read/source.ts";
import type { ReadOptions, ReadSettings } from "@/core/read/settings.ts";
import { fileSpool } from "@/engine/threads/spool.ts";
import { fileSource } from "./files.ts";
import { readLists } from "./lists.ts";

/** Steps of a proposed plan ask no list. */
const NO_LISTS: References = new Map();

/** The profile of files taken as one delivery, and how each part of them is read. */
export async function profileFiles(
  paths: readonly string[],
  settings: ReadSettings,
): Promise<{ profile: Profile; read: ReadOptions[] }> {
  const { spool, close } = fileSpool();
  try {
    const sources = await Promise.all(paths.map(fileSource));
    const day = new Date().toISOString().slice(0, 10);
    const fold = new ProfileFold(new MemorySpill(), sources.reduce((n, s) => n + s.bytes, 0) / 40, day);
    const parts = { next: 0 };
    const read: ReadOptions[] = [];
    for (const source of sources) {
      for await (const opened of openFile(source, settings, spool, parts)) {
        read.push(opened.options);
        for (const doubt of opened.doubts ?? [])
          process.stderr.write(
            `${opened.name}: ${doubtWords(doubt)}. Set it by --${doubt.setting.replace("_", "-")}.\n`,
          );
        for await (const block of opened.blocks) fold.add(block, opened.columns());
        fold.name(opened.columns());
      }
    }
    return { profile: fold.finish(), read };
  } finally {
    await close();
  }
}

/**
 * A plan for a feed of such files, with a look-up for each list, given as `name=file`, that their values are in; and on
 * standard error the evidence for each line of its contract and for each look-up. Throws `usage`.
 */
export async function proposeFor(
  paths: readonly string[],
  feed: string,
  settings: ReadSettings,
  lists: readonly string[] = [],
): Promise<object> {
  const { profile, read } = await profileFiles(paths, settings);
  if (profile.columns.length === 0) {
    throw new SieveError("nothing-read", `There is no column in ${listed(paths)}, so nothing can be proposed.`, {
      hint: "Check that it is the right file.",
    });
  }
  const proposal = propose(profile, {
    feed,
    read: lastingReadOf(read.length > 0 ? read : [{ as: "delimited" }], settings),
  });
  for (const { field, says, why, ask } of proposal.reasons) {
    process.stderr.write(`${field}: ${says}${ask ? ", left out" : ""} (${why})\n`);
  }
  const plan = planOf(proposal);
  return lists.length === 0 ? plan : await withLookUps(plan, paths, lists);
}

async function withLookUps(plan: Plan, paths: readonly string[], given: readonly string[]): Promise<Plan> {
  const { spool, close } = fileSpool();
  try {
    const lists = await readLists(plan, given, spool);
    const day = new Date().toISOString().slice(0, 10);
    const rows = await firstRows(plan, NO_LISTS, await Promise.all(paths.map(fileSource)), { spool, day });
    const records = { fields: plan.contract.fields, rows };
    const lookup: LookUp[] = [];
    for (const [name, list] of lists) {
      const [column = ""] = list.columns;
      const by = [{ field: plan.contract.fields[0]!.name, column }];
      const empty = lookUpSchema.parse({ how: "exact", name, list: name, by, none: "hold", several: "hold" });
      const found = proposedFor(records, empty, list);
      if (found.by.length === 0) {
        process.stderr.write(`look-up ${name}: left out (no field has values in common with a column of the list)\n`);
        continue;
      }
      const filled = lookup.flatMap((l) => Object.keys(l.bring ?? {}));
      lookup.push(withKey(empty, found, filled));
      const several = repeatedWords(found.repeated);
      const why = [...found.by.map((p) => p.why), ...(several ? [several] : [])];
      if (found.how === "scored" && found.limits) why.push(likenessWords(found.limits));
      const keys = listed(found.by.map((p) => `${p.field} in ${p.column}`));
      process.stderr.write(
        `look-up ${name}: ${keys}, ${found.how === "scored" ? "by score" : "by key"} (${why.join("; ")})\n`,
      );
    }
    return lookup.length > 0 ? { ...plan, lookup } : plan;
  } finally {
    await close();
  }
}
