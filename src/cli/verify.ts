import { SieveError, counted, grouped, listed } from "@/core/kernel/problem.ts";
import { loadsToVerify, verifyLoad } from "@/engine/look/verify.ts";
import { openDb } from "@/store/db.ts";

/** Computes one load, or all of them, again from the stored bytes. Returns 1 where anything differs. */
export async function verify(load: string | undefined): Promise<number> {
  if (load !== undefined && !/^\d{1,9}$/.test(load)) {
    throw new SieveError("usage", `“${load}” is not the number of a load.`, { hint: "Give digits, such as 3." });
  }
  const db = openDb(undefined, 4);
  let different = 0;
  try {
    const ids = load === undefined ? await loadsToVerify(db) : [Number(load)];
    for (const id of ids) {
      const { state, records, differs, expired } = await verifyLoad(db, id);
      if (differs.length > 0) different++;
      process.stdout.write(
        `load ${id}, ${state}: ${counted(records, "record")}, ${differs.length === 0 ? "all as it was written down" : "differs"}\n`,
      );
      if (expired.length > 0) process.stdout.write(`  no longer kept, and not looked at: ${listed(expired)}\n`);
      for (const line of differs) process.stdout.write(`  ${line}\n`);
    }
    process.stdout.write(
      `${counted(ids.length, "load")} verified, ${different === 0 ? "none differs" : `${grouped(different)} differ`}\n`,
    );
  } finally {
    await db.end();
  }
  return different === 0 ? 0 : 1;
}
