import { SieveError, counted, listed } from "@/core/kernel/problem.ts";
import { AFTER_OUTCOMES, afterWords, type AfterOutcome } from "@/core/plan/after.ts";
import { changeWords, stateWords } from "@/core/report/found-words.ts";
import { findValue } from "@/engine/look/find-value.ts";
import { afterOf, doAgain } from "@/store/after.ts";
import { openDb } from "@/store/db.ts";
import { getLoad } from "@/store/loads.ts";

/** Tells where a value stands, across all feeds; as JSON where that is asked. Returns the exit code: 1 where it is nowhere. */
export async function find(value: string, { json = false }: { readonly json?: boolean }): Promise<number> {
  const db = openDb(undefined, 2);
  const say = (line: string): void => void process.stdout.write(`${line}\n`);
  try {
    const found = await findValue(db, value);
    if (json) say(JSON.stringify(found, null, 1));
    else {
      for (const row of found.rows) {
        say(`${row.feed}, table ${row.target}: ${row.names.map((n, i) => `${n}=${row.values[i]}`).join(", ")}`);
        if (row.load !== null) say(`  came last as record ${(row.record ?? 0) + 1} of load ${row.load}`);
        for (const c of row.changes) {
          const fields = c.fields.map((f) => `${f.name} from ${f.was || "nothing"} to ${f.is || "nothing"}`);
          say(
            `  ${c.at.toISOString()} ${changeWords(c)} (${c.by})${fields.length > 0 ? `: ${fields.join(", ")}` : ""}`,
          );
        }
      }
      for (const r of found.records) {
        const place = r.file === null ? `record ${r.record + 1}` : `line ${r.line} of ${r.file}`;
        say(`${r.feed}, load ${r.load}, ${place} ${stateWords(r)}`);
      }
      if (found.more.rows || found.more.records) say("there may be more; these are the first");
      if (found.unfinished.length > 0)
        say(`not all rows of ${listed(found.unfinished)} could be looked through in time`);
      if (found.rows.length + found.records.length === 0) say(`nothing has ${value}`);
    }
    return found.rows.length + found.records.length > 0 ? 0 : 1;
  } finally {
    await db.end();
  }
}

/** Lists what is done after a load with what came of it, or has one of it done again. Returns the exit code: 1 where something failed. */
export async function after(load: string, { again }: { readonly again?: string }): Promise<number> {
  if (!/^\d{1,9}$/.test(load)) throw new SieveError("usage", `“${load}” is not the number of a load.`);
  const db = openDb(undefined, 2);
  try {
    const { id } = await getLoad(db, Number(load));
    if (again !== undefined) {
      const [, n, outcome] = /^(\d{1,3}):(.+)$/.exec(again) ?? [];
      if (!n || !AFTER_OUTCOMES.some((o) => o === outcome)) {
        throw new SieveError("usage", `“${again}” does not say what is to be done again.`, {
          detail: "It is the number of a line and how the load had ended then, as they are listed: 1:loaded.",
          hint: `The ends of a load are ${listed(AFTER_OUTCOMES)}.`,
        });
      }
      await doAgain(db, id, outcome as AfterOutcome, Number(n) - 1, "command line");
    }
    const all = await afterOf(db, id);
    for (const a of all) {
      const tried = a.attempts > 0 ? `, ${counted(a.attempts, "attempt")}` : "";
      process.stdout.write(`${a.n + 1}:${a.outcome}  ${a.state}${tried}: ${afterWords(a.action)}\n`);
      if (a.answer !== "") process.stdout.write(`  ${a.answer}\n`);
    }
    if (all.length === 0) process.stdout.write(`nothing is done after load ${id}\n`);
    return all.some((a) => a.state === "failed") ? 1 : 0;
  } finally {
    await db.end();
  }
}
