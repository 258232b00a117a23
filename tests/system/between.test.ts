import { describe, expect, it } from "vitest";
import { findRecords } from "@/engine/look/records.ts";
import { releaseRecords } from "@/engine/release/release.ts";
import { getHeld, heldGroups } from "@/store/held.ts";
import { deliver, loadNow, newFeed, rows, waitFor, useSystem } from "../support/system.ts";
import { planInForce } from "@/store/feeds.ts";
import { askForLoad, askForTrial } from "@/store/load-requests.ts";

const system = useSystem();

const FIELDS = [
  { name: "id", type: "text" },
  { name: "mother", type: "text" },
  { name: "shelf", type: "text" },
  { name: "from_day", type: "date", formats: ["yyyy-MM-dd"] },
  { name: "to_day", type: "date", formats: ["yyyy-MM-dd"] },
];
const CHECKS = [
  { check: "has parent", fields: ["mother"], of: ["id"], target: true },
  { check: "no overlaps", from: "from_day", to: "to_day", by: ["shelf"] },
];
const HEAD = "id,mother,shelf,from_day,to_day\n";

describe("checks between records", () => {
  it("hold records that passed all else, with words; each count leads to its records, and a trial says the same", async () => {
    const { db } = system;
    await newFeed(db, "shelves", FIELDS, { key: ["id"] }, { check: CHECKS, gates: [] });
    const first = await loadNow(db, "shelves", `${HEAD}A,,N,2026-01-01,2026-01-31\n`);
    expect(first.report!.balance.outcomes).toMatchObject({ inserted: 1, held: 0 });
    // B: its mother is in the target. C: no mother anywhere. D: overlaps B, which begins before it. E: not held, though later.
    const text = `${HEAD}D,,N,2026-02-05,2026-02-20\nB,A,N,2026-02-01,2026-02-10\nC,X,S,2026-02-05,2026-02-20\nE,B,S,2026-03-01,\n`;
    const delivery = await deliver(db, "shelves", text);
    const trial = await waitFor(db, await askForTrial(db, delivery, (await planInForce(db, "shelves")).id));
    const load = await waitFor(db, await askForLoad(db, delivery));
    for (const done of [trial, load]) {
      expect(done.report!.balance).toMatchObject({ outcomes: { inserted: 2, held: 2 }, heldAt: { check: 2, load: 0 } });
      const problems = Object.fromEntries(done.report!.checks.map((c) => [c.key, c.problems]));
      expect(problems["between:mother is the id of a good record, or of one in the target"]).toBe(1);
      expect(problems["between:from_day to to_day has no overlaps in each shelf"]).toBe(1);
    }
    const key = "between:from_day to to_day has no overlaps in each shelf";
    const found = await findRecords(db, load.id, { check: key });
    expect(found.records.map((r) => r.record)).toEqual([0]);
    expect(found.records[0]!.problems[0]!.message).toMatch(
      /^from_day 2026-02-05 to to_day 2026-02-20 of N overlaps the one that ends with 2026-02-10, in line 3 of /,
    );
    expect((await heldGroups(db, { feed: "shelves" })).map((g) => g.check).sort()).toEqual(
      [key, "between:mother is the id of a good record, or of one in the target"].sort(),
    );
    expect((await getHeld(db, load.id, 2)).problems[0]!.message).toBe(
      "mother “X” is the id of no good record of the delivery, nor of the target.",
    );
    expect((await rows(db, "shelves")).map((r) => r["id"])).toEqual(["A", "B", "E"]);
  });

  it("are asked again of the target when a record is released", async () => {
    const { db } = system;
    const held = await db.query<{ load: number; record: number; id: string }>(
      "select load, record, field_values->>0 as id from sieve.held where feed = 'shelves' and state = 'held' order by 3",
    );
    const of = (id: string): { load: number; record: number } => held.rows.find((r) => r.id === id)!;
    const [still] = await releaseRecords(db, [of("C")], "t");
    expect(still!.problems.map((p) => p.message)).toEqual([
      "mother “X” is the id of no good record of the delivery, nor of the target.",
    ]);
    const [again] = await releaseRecords(db, [of("D")], "t");
    expect(again!.problems[0]!.message).toContain("overlaps a range that this load has put into the target");
    const done = await releaseRecords(
      db,
      [
        { ...of("C"), values: { mother: "E" } },
        { ...of("D"), values: { from_day: "2026-02-11" } },
      ],
      "t",
    );
    expect(done.map((d) => d.released)).toEqual([true, true]);
    expect((await rows(db, "shelves")).map((r) => r["id"])).toEqual(["A", "B", "C", "D", "E"]);
  });
});
