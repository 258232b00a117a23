import { counted, grouped } from "@/core/kernel/problem.ts";
import { alikeIn, isWhole } from "@/core/mend/alike.ts";
import { closeAlike, findAlike, type AlikeFound, type AlikePair } from "@/engine/release/alike.ts";
import { openDb } from "@/store/db.ts";

export interface AlikeFlags {
  readonly close?: boolean;
  readonly json?: boolean;
}

/** A held record, the record that it may be, and in which fields they differ. */
function pairLines({ fields }: AlikeFound, pair: AlikePair): string {
  const { load, line, again, outcome, was, is } = pair;
  const differ = fields.flatMap((name, f) => (was[f] === is[f] ? [] : [`  ${name}: “${was[f]}”, here “${is[f]}”\n`]));
  return `load ${load}, line ${grouped(line)}: record ${grouped(again + 1)} here, ${outcome}; ${alikeIn(pair)}\n${differ.join("")}`;
}

/**
 * Lists held records of earlier loads that may have come again in a load, each beside the record that is most like it;
 * closes those that are the same in all that was sound where that is said. Throws as `findAlike` and `closeAlike`.
 */
export async function alike(load: number, { close = false, json = false }: AlikeFlags): Promise<void> {
  const db = openDb(undefined, 2);
  try {
    const found = await findAlike(db, load);
    const whole = found.pairs.filter(isWhole);
    process.stdout.write(
      json ? `${JSON.stringify(found)}\n` : found.pairs.map((pair) => pairLines(found, pair)).join(""),
    );
    const closed = close ? await closeAlike(db, load, whole, "command line") : null;
    const rest = found.more > 0 ? `; ${counted(found.more, "older one")} not looked for` : "";
    process.stderr.write(
      `${counted(found.looked, "held record")} looked for among ${counted(found.among, "record")}: ${grouped(found.pairs.length)} alike, ` +
        `${grouped(whole.length)} in all that was sound${closed === null ? "" : `, of which ${grouped(closed)} are closed`}${rest}\n`,
    );
  } finally {
    await db.end();
  }
}
