import { join } from "node:path";
import { pathToFileURL } from "node:url";
import { describe, expect, it } from "vitest";
import type { Reference } from "@/core/kernel/reference.ts";
import { prepareLookUp, type Asked } from "@/core/lookup/look-up.ts";
import { lookUpSchema } from "@/core/lookup/schema.ts";
import { verifyLoad } from "@/engine/look/verify.ts";
import { LookUpBeside } from "@/engine/threads/look-up-beside.ts";
import { makeReference } from "@/store/references.ts";
import { root } from "../../scripts/lib/machine.mjs";
import { random } from "../support/random.ts";
import { loadNow, newFeed, rows, useSystem } from "../support/system.ts";

/** What is nearest in a long list is found by two threads. */

const system = useSystem();
const THREAD = pathToFileURL(join(root, "dist/look-up-thread.js"));

const roll = random(21);
const SYLLABLES = ["al", "bir", "cold", "dun", "el", "fen", "gor", "hil", "ivo", "kel", "lyn", "mos", "nor", "quil"];
const name = (): string => Array.from({ length: 4 }, () => SYLLABLES[Math.floor(roll() * SYLLABLES.length)]).join("");
const SITES: Reference = {
  name: "sites",
  version: 0,
  columns: ["site", "code"],
  key: "site",
  entries: [...new Set(Array.from({ length: 1_500 }, name))].map((site, i) => [site, `S${i}`]),
};
const LOOK_UP = { name: "site", list: "sites", how: "scored", by: [{ field: "site", column: "site" }] };
const SCORED = lookUpSchema.parse({ ...LOOK_UP, bring: { code: "code" } });
const ASKED = SITES.entries.slice(0, 600).map(([site]) => site!.slice(0, 3) + site!.slice(4));

describe("what is nearest", () => {
  it("is the same in a thread of its own, which is asked again and again", async () => {
    const { nearestOf } = prepareLookUp(SCORED, SITES).likeness!;
    const beside = new LookUpBeside(THREAD, { lookUp: SCORED, reference: SITES });
    const asked = ASKED.map((value): Asked => ({ values: [value], day: "" }));
    for (const some of [asked.slice(0, 200), asked.slice(200, 201), asked.slice(300)]) {
      beside.begin(some);
      expect(beside.take()).toEqual(some.map(nearestOf));
    }
    await beside.end();
  });

  it("is not waited for without end where no thread answers", async () => {
    const nowhere = pathToFileURL(join(root, "dist/no-such-thread.js"));
    const beside = new LookUpBeside(nowhere, { lookUp: SCORED, reference: SITES }, 300);
    beside.begin([{ values: ["alder"], day: "" }]);
    expect(beside.take()).toBeNull();
    await beside.end();
  });

  it("is brought by a load as by one thread", async () => {
    const { db } = system;
    const shape = { columns: ["site", "code"], key: "site" };
    await makeReference(db, { name: "sites", title: "Sites", about: "", shape }, [...SITES.entries], "Ines");
    const fields = ["site", "code"].map((field) => ({ name: field, type: "text" }));
    await newFeed(db, "near", fields, {}, { gates: [], lookup: [SCORED] });
    const values = [...ASKED, "", SITES.entries[0]![0]!];
    const load = await loadNow(db, "near", `site\n${values.join("\n")}\n`);
    expect(load.state).toBe("loaded");
    const ask = prepareLookUp(SCORED, SITES);
    const alone = values.map((value) => ask([value], ""));
    const count = (result: string): number => alone.filter((f) => f.result === result).length;
    expect(count("scored")).toBeGreaterThan(400);
    const { counts } = load.report!.lookUps![0]!;
    for (const [result, n] of Object.entries(counts)) expect([result, n]).toEqual([result, count(result)]);
    const brought = (await rows(db, "near", "_record")).map((r) => r["code"]);
    const expected = alone.flatMap((f) => (f.entry < 0 ? [] : [SITES.entries[f.entry]![1]]));
    expect(brought.filter((code) => code !== null)).toEqual(expected);
    expect((await verifyLoad(db, load.id)).differs).toEqual([]);
  });
});
