import { afterAll, beforeAll, expect, it } from "vitest";
import { loadNow, newFeed, newSystem, type System } from "../support/system.ts";

let system: System;

beforeAll(async () => {
  system = await newSystem();
  await system.startWorker();
});
afterAll(() => system.end());

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
