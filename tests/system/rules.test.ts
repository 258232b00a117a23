import { describe, expect, it } from "vitest";
import { findRecords } from "@/engine/look/records.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { savePlan, planInForce } from "@/store/feeds.ts";
import { getHeld, heldGroups } from "@/store/held.ts";
import { checkHistory, trialBefore } from "@/store/load-history.ts";
import { askForLoad, askForTrial, runWithout } from "@/store/load-requests.ts";
import { deliver, loadNow, newFeed, rows, waitFor, useSystem } from "../support/system.ts";

const system = useSystem();

const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "sown", type: "date", formats: ["dd.MM.yyyy", "yyyy-MM-dd"] },
  { name: "due", type: "date", formats: ["dd.MM.yyyy"] },
  { name: "seeds", type: "integer" },
  { name: "alive", type: "integer" },
  { name: "share", type: "decimal", precision: 5, scale: 3 },
];
const MORE = {
  cleanse: [
    { do: "leave-out", in: "*", when: "id.startsWith('TEST')" },
    { do: "derive", in: ["share"], by: "double(alive) / double(seeds)" },
    { do: "derive", in: ["due"], by: "add_days(sown, 21)" },
  ],
  check: [
    {
      name: "no more live than sown",
      that: "alive <= seeds",
      message: "{alive} of {seeds} seeds can't be alive.",
      on_failure: "hold",
    },
    { name: "a whole number of tens", that: "it % 10 == 0", in: ["seeds"], on_failure: "note" },
  ],
  gates: [],
};

describe("steps and checks by formula", () => {
  it("derive, leave out and hold as the browser would compute it, and each count leads to its records", async () => {
    const { db } = system;
    await newFeed(db, "trials", FIELDS, { key: ["id"] }, MORE);
    const load = await loadNow(
      db,
      "trials",
      `id,sown,due,seeds,alive,share
a,28.02.2026,,50,45,
b,2026-02-01,,50,51,
TEST-1,28.02.2026,,50,45,
c,28.02.2026,,45,,0.5
g,28.02.2026,,30,20,
d,31.02.2026,,50,50,
e,,,0,0,
f,28.02.2026,,many,9223372036854775807,x
`,
    );
    expect(load.report!.balance).toMatchObject({
      read: 8,
      outcomes: { inserted: 4, held: 3, "left out": 1 },
      heldAt: { check: 3 },
    });
    expect(await rows(db, "trials")).toMatchObject([
      { id: "a", due: "2026-03-21", share: "0.900" },
      { id: "c", due: "2026-03-21", seeds: 45, share: null },
      { id: "e", due: null, share: null },
      { id: "g", share: "0.667" },
    ]);
    const held = await getHeld(db, load.id, 1);
    expect(held.problems.map((p) => [p.check, p.message, p.onFailure])).toEqual([
      ["rule:no more live than sown", "51 of 50 seeds can't be alive.", "hold"],
    ]);
    expect((await heldGroups(db, {})).map((g) => g.fault)).toContain("not so that no more live than sown");

    const count = async (filter: Parameters<typeof findRecords>[2]): Promise<number> =>
      (await findRecords(db, load.id, filter, 0, 100)).records.length;
    expect(await count({ outcome: "left out" })).toBe(1);
    for (const c of load.report!.checks) expect(await count({ check: c.key }), c.key).toBe(c.problems);
    for (const s of load.report!.sift) {
      expect(await count({ left: s.stage }), s.stage).toBe(s.left);
      for (const t of s.trays) expect(await count({ outcome: t.outcome, at: t.at ?? undefined })).toBe(t.count);
    }
    for (let i = 0; i < 3; i++) expect(await count({ step: i })).toBe(load.report!.steps[i]!.changed);

    const [still] = await releaseRecords(db, [{ load: load.id, record: 1, values: { alive: "60" } }], "test");
    expect(still!.problems.map((p) => p.message)).toEqual(["60 of 50 seeds can't be alive."]);
    const [gone] = await releaseRecords(db, [{ load: load.id, record: 1, values: { alive: "40" } }], "test");
    expect(gone!.released).toBe(true);
    expect((await rows(db, "trials"))[1]).toMatchObject({ id: "b", share: "0.800" });
  });

  it("a plan whose formula speaks of what is not there is not saved", async () => {
    const { db } = system;
    await newFeed(db, "wrong", FIELDS);
    const plan = (await planInForce(db, "wrong")).document;
    const save = (more: object): Promise<unknown> => savePlan(db, "wrong", { ...plan, ...more }, "x", "test");
    await expect(save({ check: [{ name: "x", that: "seedz > 1" }] })).rejects.toMatchObject({
      detail: expect.stringContaining("There is no field seedz") as string,
    });
    await expect(save({ check: [{ name: "x", that: "seeds + 1" }] })).rejects.toMatchObject({
      detail: expect.stringContaining("must be true or false") as string,
    });
    await expect(save({ cleanse: [{ do: "split", in: ["id"], from: "gone", by: "," }] })).rejects.toMatchObject({
      detail: expect.stringContaining("There is no field gone") as string,
    });
  });
});

describe("a check that is switched off for one load", () => {
  const fields = [
    { name: "id", type: "text" },
    { name: "site", type: "text", required: true, pattern: "^[A-Z]" },
    { name: "n", type: "integer", on_failure: "stop" },
  ];
  const text = "id,site,n\na,,1\nb,here,2\nc,There,3\nc,There,3\n";

  it("is passed over when a stopped load is run again, says why on the report, and not in the next load", async () => {
    const { db } = system;
    await newFeed(db, "offs", fields, { key: ["id"] }, { gates: [{ limit: "held share", over: 0.5 }] });
    const stopped = await loadNow(db, "offs", text);
    expect(stopped).toMatchObject({ state: "stopped", held: 3 });
    await expect(runWithout(db, stopped.id, { checks: ["site:required"], reason: " " })).rejects.toThrow("reason");
    await expect(runWithout(db, stopped.id, { checks: ["site:such"], reason: "x" })).rejects.toMatchObject({
      code: "no-check",
      detail: expect.stringContaining("site:required"),
    });
    for (const needed of ["n:type", "id:unique"]) {
      await expect(runWithout(db, stopped.id, { checks: [needed], reason: "x" })).rejects.toMatchObject({
        code: "check-needed",
      });
    }
    await runWithout(db, stopped.id, { checks: ["site:required"], reason: "sites come with the next delivery" });
    const loaded = await waitFor(db, stopped.id, (l) => l.state === "loaded");
    expect(loaded).toMatchObject({ state: "loaded", inserted: 2, held: 2 });
    expect(loaded.report!.checks.find((c) => c.key === "site:required")).toMatchObject({
      problems: 0,
      off: "sites come with the next delivery",
    });
    // What is shown of its records later is by the checks that it made.
    const page = await findRecords(db, loaded.id, { outcome: "inserted" });
    expect(page.records.map((r) => [r.values[0], r.problems.length])).toEqual([
      ["a", 0],
      ["c", 0],
    ]);
    const next = await loadNow(db, "offs", "id,site,n\nd,,1\ne,There,1\n");
    expect(next).toMatchObject({ state: "loaded", inserted: 1, held: 1 });
    const history = await checkHistory(db, "offs");
    expect(history.find((h) => h.key === "site:required")).toMatchObject({
      loads: 1,
      fired: 1,
      last: next.id,
      problems: 1,
    });
    expect(history.find((h) => h.key === "site:pattern")).toMatchObject({ loads: 2, fired: 1, last: loaded.id });
  });

  it("can be said with the delivery", async () => {
    const { db } = system;
    const delivery = await deliver(db, "offs", "id,site,n\nx,,1\n");
    const id = await askForLoad(db, delivery, { without: { checks: ["site:required"], reason: "known" } });
    expect(await waitFor(db, id)).toMatchObject({ state: "loaded", inserted: 1, held: 0 });
  });
});

describe("a load after its trial", () => {
  it("says that it came as tried, or what has changed since", async () => {
    const { db } = system;
    await newFeed(db, "tried", [{ name: "id", type: "text" }], { key: ["id"] }, { gates: [] });
    const plan = (await planInForce(db, "tried")).id;
    const first = await deliver(db, "tried", "id\na\nb\n");
    const trial = await waitFor(db, await askForTrial(db, first, plan));
    const load = await waitFor(db, await askForLoad(db, first));
    expect(await trialBefore(db, load.id)).toEqual({ id: trial.id, apart: [], loads: [], lists: [] });
    const second = await deliver(db, "tried", "id\nb2\nc\n");
    const again = await waitFor(db, await askForTrial(db, second, plan));
    expect(again).toMatchObject({ inserted: 2 });
    const between = await loadNow(db, "tried", "id\nc\n");
    const late = await waitFor(db, await askForLoad(db, second));
    expect(await trialBefore(db, late.id)).toEqual({
      id: again.id,
      apart: [
        { outcome: "inserted", tried: 2, loaded: 1 },
        { outcome: "held", tried: 0, loaded: 1 },
      ],
      loads: [between.id],
      lists: [],
    });
    expect(await trialBefore(db, between.id)).toBeNull();
  });
});
