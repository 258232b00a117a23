import { expect, it } from "vitest";
import { findRecords } from "@/engine/look/records.ts";
import { loadNow, newFeed, useSystem } from "../support/system.ts";

const system = useSystem();

let sent = 0;
/** Records of which some have no site. */
const file = (records: number, empty = 0): string =>
  `no,site\n${Array.from({ length: records }, (_, i) => `${++sent},${i < empty ? "" : "fen"}\n`).join("")}`;

it("a load that is unlike those before stops, once enough are known", async () => {
  const { db } = system;
  await newFeed(
    db,
    "visits",
    [
      { name: "no", type: "integer" },
      { name: "site", type: "text" },
    ],
    {},
    {
      gates: [
        { limit: "records against history", share: 0.5 },
        { limit: "empty cells against history", over: 0.2 },
      ],
    },
  );
  // Nothing is usual yet.
  for (const records of [10, 40, 12]) expect((await loadNow(db, "visits", file(records))).state).toBe("loaded");
  const large = await loadNow(db, "visits", file(19));
  expect(large.state).toBe("stopped");
  expect(large.report!.gates.filter((g) => !g.passed)).toEqual([
    {
      gate: "records against history",
      passed: false,
      message: "19 records read; the last 3 loads of the sender had 12 as a rule, and 50 % more or less is allowed.",
    },
  ]);
  expect((await loadNow(db, "visits", file(18, 3))).state).toBe("loaded");
  const emptier = await loadNow(db, "visits", file(12, 4));
  expect(emptier.report!.gates.filter((g) => !g.passed).map((g) => g.message)).toEqual([
    expect.stringMatching(/^site is empty in 33\.3 %, usually in 0 %\.$/),
  ]);
  expect(emptier.state).toBe("stopped");
});

it("a load whose figures are unlike those before, or unlike what the sender says, stops", async () => {
  const { db } = system;
  await newFeed(
    db,
    "weights",
    [
      { name: "no", type: "integer" },
      { name: "site", type: "text" },
      { name: "g", type: "decimal", precision: 9, scale: 2 },
    ],
    {},
    {
      cleanse: [{ do: "fill", in: ["site"], above: true }],
      gates: [
        { limit: "mean against history", field: "g", share: 0.5 },
        {
          limit: "control totals",
          in: "side file",
          name: "file-1.csv",
          find: "(?P<n>\\d+) records, (?P<g>[\\d.]+) g",
          records: "n",
          sums: [{ field: "g", group: "g" }],
        },
      ],
    },
  );
  const records = (g: number, n = 6_000): string =>
    `no,site,g\n${Array.from({ length: n }, (_, i) => `${++sent},${i === 0 ? "fen" : ""},${g}\n`).join("")}`;
  for (const g of [1, 1.25, 1.5]) {
    const load = await loadNow(db, "weights", records(g), `6000 records, ${g * 6000} g\n`);
    expect(load).toMatchObject({ state: "loaded", read: 6000 });
    expect(load.report!.figures).toEqual([{ field: "g", count: 6000, sum: String(g * 6000) }]);
    expect(load.report!.files.map((f) => f.name)).toEqual(["file-0.csv"]);
  }
  // The value above goes from block to block, and a page of records far down has it too.
  const { id } = await loadNow(db, "weights", records(1.25), "6000 records, 7500 g");
  const page = await findRecords(db, id, {}, 5_900, 5);
  expect(page.records.map((r) => [r.arrived[1], r.values[1]])).toEqual(Array.from({ length: 5 }, () => ["", "fen"]));
  const heavy = await loadNow(db, "weights", records(2), "6000 records, 12001 g");
  expect(heavy.state).toBe("stopped");
  expect(heavy.report!.gates.map((g) => g.message)).toEqual([
    "The mean of g is 2; in the last 4 loads of the sender it was 1.25 as a rule, and 50 % more or less is allowed.",
    "records: 6,000 announced, 6,000 read; sum of g: 12,001 announced, 12,000 read, 1 too few.",
  ]);
});
