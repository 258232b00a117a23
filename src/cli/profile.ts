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
      }
    }
    return { profile: fold.finish(), read };
  } finally {
    await close();
  }
}

/** A plan for a feed of such files, and on standard error the evidence for each line of its contract. */
export async function proposeFor(paths: readonly string[], feed: string, settings: ReadSettings): Promise<object> {
  const { profile, read } = await profileFiles(paths, settings);
  const proposal = propose(profile, {
    feed,
    read: lastingReadOf(read.length > 0 ? read : [{ as: "delimited" }], settings),
  });
  for (const { field, says, why, ask } of proposal.reasons) {
    process.stderr.write(`${field}: ${says}${ask ? ", left out" : ""} (${why})\n`);
  }
  return planOf(proposal);
}
