import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { expect, it } from "vitest";
import { mendsForSteps, withMends } from "@/core/mend/remembered.ts";
import { knownFromTarget } from "@/engine/look/known.ts";
import { releaseAll } from "@/engine/release/release-all.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { undoWriting } from "@/engine/undo/undo.ts";
import { planInForce, savePlan } from "@/store/feeds.ts";
import { listHeld } from "@/store/held.ts";
import { mendsMade } from "@/store/mends.ts";
import { sieve } from "../support/shell.ts";
import { loadNow, newFeed, useSystem } from "../support/system.ts";

const system = useSystem();
const LAND = { name: "land", type: "code", values: ["Norway", "Sweden"] };

it("mends are counted over loads by the fields of the plan that held each, and a plan that makes them holds no more", async () => {
  const { db } = system;
  await newFeed(db, "mended", [{ name: "id", type: "text" }, LAND], { key: ["id"] }, { gates: [] });
  const one = await loadNow(db, "mended", "id,land\na,Noreg\nb,Svea\nc,Noreg\n");
  const mend = (load: number, record: number, land: string) => ({ load, record, values: { land } });
  await releaseRecords(db, [mend(one.id, 0, "Norway"), mend(one.id, 1, "Sweden"), mend(one.id, 2, "Norway")], "Ines");
  const norway = { field: "land", from: "Noreg", to: "Norway", records: 2, loads: 1, times: 1 };
  expect(await mendsMade(db, "mended")).toEqual([
    norway,
    { field: "land", from: "Svea", to: "Sweden", records: 1, loads: 1, times: 1 },
  ]);

  // A field comes before it: values of older held records still stand where that plan had them.
  const before = await planInForce(db, "mended");
  const contract = { fields: [{ name: "who", type: "text" }, ...before.document.contract.fields] };
  await savePlan(db, "mended", { ...before.document, contract }, "who", "Ines");
  const two = await loadNow(db, "mended", "who,id,land\nx,d,Noreg\ny,e,Noreg\nz,f,Thule\n");
  await releaseAll(
    db,
    { feed: "mended", check: "land:type", load: two.id },
    { mend: { how: "replace", field: "land", find: "Noreg", to: "Norway" }, by: "Ines", preview: false },
  );
  const made = await mendsMade(db, "mended");
  expect(made[0]).toEqual({ ...norway, records: 4, loads: 2, times: 2 });
  expect(made).toHaveLength(2);

  const { document } = await planInForce(db, "mended");
  const mends = mendsForSteps(document, made);
  expect(mends.map((m) => m.from)).toEqual(["Noreg"]);
  const next = join(mkdtempSync(join(tmpdir(), "sieve-mends-")), "next.json");
  const { stdout, stderr } = sieve(system, "mends", "mended", "--plan", next);
  expect(stdout).toContain("land: “Noreg” to “Norway”, 4 records in 2 loads; a step could do it\n");
  expect(stderr).toContain("does 1 mend by itself");
  expect(JSON.parse(readFileSync(next, "utf8"))).toEqual(JSON.parse(JSON.stringify(withMends(document, mends))));
  await savePlan(db, "mended", withMends(document, mends), "Noreg", "Ines");
  const three = await loadNow(db, "mended", "who,id,land\nx,g,Noreg\ny,h,Thule\n");
  expect(three).toMatchObject({ inserted: 1, held: 1 });

  // What was taken back was no mend.
  const { rows } = await db.query<{ id: number }>(
    "select id from sieve.writing where feed = 'mended' and kind = 'release' order by id desc limit 1",
  );
  await undoWriting(db, rows[0]!.id, { reason: "too soon", by: "Ines" });
  expect((await mendsMade(db, "mended"))[0]).toEqual(norway);
});

it("rows of the target say what a held record's empty field is, where chance would not do it", async () => {
  const { db } = system;
  const fields = [
    { name: "id", type: "text" },
    { name: "site", type: "text" },
    { name: "land", type: "code", values: ["NO", "SE", "FI"], required: true },
    { name: "tray", type: "text" },
  ];
  await newFeed(db, "known", fields, { key: ["id"] }, { gates: [] });
  const lands = { Fell: "NO", Fen: "SE", Moor: "FI", Cray: "NO" };
  const rows = Object.entries(lands).flatMap(([site, land], s) =>
    Array.from({ length: 12 }, (_, i) => `${site}${i},${site},${land},t${(i * 7 + s) % 3}`),
  );
  const held = ["x,Fell,,t1", "y,Moor,ZZ,t1", "z,Nowhere,,t1"];
  await loadNow(db, "known", ["id,site,land,tray", ...rows, ...held].join("\n"));
  const { document } = await planInForce(db, "known");
  const known = async (check: string): Promise<string[]> => {
    const records = await listHeld(db, { feed: "known", check }, "", 100);
    return (await knownFromTarget(db, document, check, records)).map(
      (k) => `${k.by} ${k.value}: ${k.gives}, ${k.rows}`,
    );
  };
  // Trays have records of all lands, and say nothing.
  expect(await known("land:required")).toEqual(["site Fell: NO, 12"]);
  expect(await known("land:type")).toEqual(["site Moor: FI, 12"]);
  // A site that lies in two lands says nothing; then a quarter of all do, and none is believed.
  await db.query("update target.known set land = 'SE' where id = 'Fell0'");
  expect(await known("land:type")).toEqual([]);
  // A target that is not there, and a check of a key.
  expect(
    await knownFromTarget(db, { ...document, load: { ...document.load, target: "gone" } }, "land:type", []),
  ).toEqual([]);
  expect(await knownFromTarget(db, document, "id:required", [])).toEqual([]);
});
