import { describe, expect, it } from "vitest";
import { compiledOfLoad } from "@/engine/load/rerun.ts";
import { verifyLoad } from "@/engine/look/verify.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { planInForce } from "@/store/feeds.ts";
import { askForLoad, askForTrial, trialOf } from "@/store/load-requests.ts";
import { getLoad } from "@/store/loads.ts";
import { deliveriesSince, runDeliveries } from "@/store/runs.ts";
import { deliver, loadNow, newFeed, rows, useSystem, waitFor } from "../support/system.ts";

/** Runs that are told something, and deliveries that are run again. */

const system = useSystem();

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "n", type: "integer" },
];
const HEAD = "id,n\n";

async function tellable(name: string): Promise<void> {
  await newFeed(
    system.db,
    name,
    FIELDS,
    { key: ["id"], mode: "upsert" },
    {
      parameters: [
        { name: "at_least", type: "integer", default: "0" },
        { name: "garden", type: "text", default: "" },
      ],
      cleanse: [
        { do: "leave-out", in: ["n"], when: "n < at_least()" },
        { do: "case", in: ["id"], to: "upper" },
      ],
      check: [{ name: "of the garden", that: 'garden() == "" || id.startsWith(garden())' }],
      gates: [],
    },
  );
}

describe("a run that is told something", () => {
  it("goes by it, keeps it, and is computed again by it", async () => {
    const { db } = system;
    await tellable("told");
    const delivery = await deliver(db, "told", `${HEAD}a1,1\nb2,2\na3,3\n`);
    const load = await waitFor(db, await askForLoad(db, delivery, { parameters: { at_least: " 2 ", garden: "A" } }));
    expect(load).toMatchObject({ state: "loaded", inserted: 1, held: 1, leftOut: 1 });
    expect(load.run).toEqual({ parameters: { at_least: "2", garden: "A" } });
    expect(load.report!.run!.parameters).toEqual([
      { name: "at_least", value: "2", told: true },
      { name: "garden", value: "A", told: true },
    ]);
    expect((await verifyLoad(db, load.id)).differs).toEqual([]);
    expect((await compiledOfLoad(db, load.id, load.plan)).run.parameters).toEqual({ at_least: "2", garden: "A" });
    // What the run was given holds for what it held: mended otherwise it is still not of the garden.
    const [again] = await releaseRecords(db, [{ load: load.id, record: 1, values: {} }], "test");
    expect(again!.released).toBe(false);
    const [mended] = await releaseRecords(db, [{ load: load.id, record: 1, values: { id: "A9" } }], "test");
    expect(mended!.released).toBe(true);
    expect(await rows(db, "told")).toMatchObject([{ id: "A3" }, { id: "A9" }]);
  });

  it("does without steps and checks, with the reason; what can't be told is refused before anything is queued", async () => {
    const { db } = system;
    await tellable("without");
    const delivery = await deliver(db, "without", `${HEAD}a1,1\n`);
    const ask = (request: object) => askForLoad(db, delivery, request);
    await expect(ask({ parameters: { at_least: "two" } })).rejects.toMatchObject({ code: "parameter-invalid" });
    await expect(ask({ parameters: { most: "2" } })).rejects.toMatchObject({ code: "no-parameter" });
    await expect(ask({ without: { steps: [3], reason: "x" } })).rejects.toMatchObject({ code: "no-step" });
    await expect(ask({ without: { lookUps: ["x"], reason: "x" } })).rejects.toMatchObject({ code: "no-look-up" });
    await expect(ask({ without: { checks: ["x"], reason: "x" } })).rejects.toMatchObject({ code: "no-check" });
    await expect(ask({ without: { steps: [2], reason: " " } })).rejects.toMatchObject({ code: "reason-missing" });
    expect((await deliveriesSince(db, "without", "2000-01-01", 10))[0]!.load).toBeNull();
    const load = await waitFor(db, await ask({ without: { steps: [2], reason: "as it was written" } }));
    expect(await rows(db, "without")).toMatchObject([{ id: "a1", _load: load.id }]);
    expect(load.report!.run!.steps).toEqual([{ words: expect.stringContaining("id"), reason: "as it was written" }]);
    expect((await verifyLoad(db, load.id)).differs).toEqual([]);
    await expect(db.query("update sieve.load set run = '{}' where id = $1", [load.id])).rejects.toThrow(
      "what it was told is never changed",
    );
  });

  it("is no trial that others are held against", async () => {
    const { db } = system;
    await tellable("tried");
    const delivery = await deliver(db, "tried", `${HEAD}a1,1\n`);
    const { id: plan } = await planInForce(db, "tried");
    const told = await waitFor(db, await askForTrial(db, delivery, plan, { parameters: { at_least: "5" } }));
    expect(told).toMatchObject({ state: "tried", leftOut: 1 });
    expect((await deliveriesSince(db, "tried", "2000-01-01", 10))[0]!.trial).toMatchObject({ id: told.id, told: true });
    const usual = await trialOf(db, delivery, plan);
    expect(usual).not.toBe(told.id);
    expect(await waitFor(db, usual)).toMatchObject({ state: "tried", inserted: 1 });
    expect(await trialOf(db, delivery, plan)).toBe(usual);
  });
});

describe("deliveries that are run again", () => {
  it("go in the order in which they came, first as trials, then in earnest", async () => {
    const { db } = system;
    await tellable("again");
    const first = await loadNow(db, "again", `${HEAD}a1,1\nb2,2\n`);
    const second = await loadNow(db, "again", `${HEAD}a1,10\n`);
    const listed = await deliveriesSince(db, "again", "2000-01-01", 10);
    expect(listed.map((d) => [d.id, d.load!.id, d.load!.outcomes!.inserted, d.trial])).toEqual([
      [first.delivery, first.id, 2, null],
      [second.delivery, second.id, 0, null],
    ]);
    const trials = await runDeliveries(db, "again", [second.delivery, first.delivery], "trial");
    expect(trials.map((t) => t.delivery)).toEqual([first.delivery, second.delivery]);
    for (const t of trials) await waitFor(db, t.load);
    const tried = await deliveriesSince(db, "again", "2000-01-01", 10);
    // The older one would write over what is newer; the trial says so.
    expect(tried.map((d) => d.trial!.outcomes)).toMatchObject([
      { updated: 1, unchanged: 1 },
      { updated: 0, unchanged: 1 },
    ]);
    expect((await rows(db, "again"))[0]).toMatchObject({ id: "A1", n: 10 });
    const loads = await runDeliveries(db, "again", [second.delivery, first.delivery], "load", {}, "somebody");
    for (const l of loads) expect(await waitFor(db, l.load)).toMatchObject({ state: "loaded", askedBy: "somebody" });
    expect((await rows(db, "again"))[0]).toMatchObject({ id: "A1", n: 10, _load: loads[1]!.load });
  });

  it("are all asked for, or none", async () => {
    const { db } = system;
    await tellable("none");
    await tellable("other");
    const load = await loadNow(db, "none", `${HEAD}a1,1\n`);
    const others = await deliver(db, "other", `${HEAD}z,1\n`);
    await expect(runDeliveries(db, "none", [load.delivery, others], "load")).rejects.toMatchObject({
      code: "no-delivery",
    });
    expect((await deliveriesSince(db, "none", "2000-01-01", 10))[0]!.load!.told).toBe(false);
    const wrong = { parameters: { at_least: "x" } };
    await expect(runDeliveries(db, "none", [load.delivery], "load", wrong)).rejects.toMatchObject({
      code: "parameter-invalid",
    });
    expect((await deliveriesSince(db, "none", "2000-01-01", 10))[0]!.load!.id).toBe(load.id);
    expect(await deliveriesSince(db, "none", "2999-01-01", 10)).toEqual([]);
    expect(await getLoad(db, load.id)).toMatchObject({ run: {} });
  });
});
