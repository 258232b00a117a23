import { describe, expect, it } from "vitest";
import { releaseRecords } from "@/engine/release/release.ts";
import { countHeld, getHeld, heldBySender, heldGroups, lateHeld, listHeld } from "@/store/held.ts";
import { listLoads, type Load } from "@/store/loads.ts";
import { getSender, habitsOf, handOver, listSenders, overdueSenders, putSender, takeBack } from "@/store/senders.ts";
import { sendersOfLoad } from "@/store/senders-of-load.ts";
import { loadFrom, newFeed, tamper, useSystem } from "../support/system.ts";

/** Senders over all feeds, and what they owe. */

const system = useSystem();
const FIELDS = [
  { name: "id", type: "text", required: true },
  { name: "n", type: "integer" },
];

const load = (feed: string, sender: string, text: string): Promise<Load> => loadFrom(system.db, feed, sender, text);

describe("senders", () => {
  it("are known over all feeds, with what is held of them, and how they send", async () => {
    const { db } = system;
    for (const name of ["one", "two"]) await newFeed(db, name, FIELDS, {}, { gates: [] });
    await load("one", "Fen", "id;n\na;1\nb;x\n");
    await load("two", "Fen", "id,n\nc,3\nd,y\ne,z\n");
    await load("two", "Moor", "id,n\nf,1\n");
    await load("two", "", "id,n\ng,q\n");
    const senders = await listSenders(db);
    // First those of whom most is held.
    expect(senders.map((s) => [s.name, s.deliveries, s.held, s.withThem])).toEqual([
      ["Fen", 2, 3, 0],
      ["", 1, 1, 0],
      ["Moor", 1, 0, 0],
    ]);
    expect(senders[0]!.feeds.map((f) => f.name)).toEqual(["one", "two"]);
    expect(senders[0]!.loads.map((l) => [l.read, l.held])).toEqual([
      [2, 1],
      [3, 2],
    ]);
    const habits = await habitsOf(db, "Fen");
    expect(habits.map((h) => [h.feed, h.read.delimiter, h.columns, h.held])).toEqual([
      ["one", ";", ["id", "n"], 1],
      ["two", ",", ["id", "n"], 2],
    ]);
    expect(await countHeld(db, { sender: "Fen" })).toBe(3);
    expect(await countHeld(db, { sender: "" })).toBe(1);
    expect(await countHeld(db, { sender: "Fen", feed: "one" })).toBe(1);
    expect((await heldGroups(db, { sender: "Moor" })).length).toBe(0);
    expect((await listHeld(db, { sender: "Fen" }, "", 2)).length).toBe(2);
    expect((await listLoads(db, { sender: "Fen" })).map((l) => l.feed)).toEqual(["two", "one"]);
    await expect(getSender(db, "Heath")).rejects.toMatchObject({ code: "no-sender" });
  });

  it("are told by the names of files where nobody has said it", async () => {
    const { db } = system;
    const senders = [
      { files: "seeds-late*", sender: "Late" },
      { files: "*.csv", sender: "Marsh" },
      { files: "*", sender: "Anybody" },
    ];
    await newFeed(db, "named", FIELDS, {}, { gates: [], senders });
    await load("named", "", "id,n\na,1\n");
    await load("named", "Said", "id,n\nb,1\n");
    expect((await listLoads(db, { feed: "named" })).map((l) => l.sender)).toEqual(["Said", "Marsh"]);
  });

  it("are told record by record where a field names them, and so is what each owes", async () => {
    const { db } = system;
    await newFeed(
      db,
      "mixed",
      [...FIELDS, { name: "who", type: "text" }],
      { key: ["id"] },
      { gates: [], sender_field: "who" },
    );
    const text = "id,n,who\na,x,Beck\nb,2,Beck\nc,y,Tarn\nd,z,\ne,5, Tarn \n";
    const { id } = await load("mixed", "Post", text);
    expect(await sendersOfLoad(db, id)).toEqual([
      { sender: "Beck", read: 2, held: 1 },
      { sender: "Tarn", read: 2, held: 1 },
      { sender: "Post", read: 1, held: 1 },
    ]);
    for (const sender of ["Beck", "Tarn", "Post"]) {
      expect(await countHeld(db, { sender })).toBe(1);
      expect(await getSender(db, sender)).toMatchObject({ deliveries: 1, held: 1, feeds: [{ name: "mixed" }] });
      expect((await listLoads(db, { sender })).map((l) => l.id)).toEqual([id]);
      expect(await habitsOf(db, sender)).toMatchObject([{ feed: "mixed", load: id, held: 1 }]);
    }
    expect((await getSender(db, "Tarn")).loads).toEqual([{ id, read: 2, held: 1 }]);
    // Each goes to its own.
    const files = [];
    for await (const page of heldBySender(db, { feed: "mixed" }))
      files.push(...page.map((r) => [r.sender, r.cells![0]]));
    expect(files).toEqual([
      ["Beck", "a"],
      ["Post", "d"],
      ["Tarn", "c"],
    ]);
    expect(await handOver(db, "Tarn", "mixed")).toBe(1);
    expect(await getSender(db, "Beck")).toMatchObject({ withThem: 0 });
    // What comes back is met although another has brought it, as long as the records say whose they are.
    await load("mixed", "Office", "id,n,who\nc,w,Tarn\nd,w,Elsewhere\n");
    expect(await countHeld(db, { feed: "mixed", sender: "Tarn" })).toBe(1);
    expect(await getHeld(db, id, 2)).toMatchObject({ state: "closed" });
    expect(await getHeld(db, id, 3)).toMatchObject({ state: "held" });
  });

  it("have a delivery of which nobody has said, where all its records are theirs", async () => {
    const { db } = system;
    await newFeed(db, "one_of", [...FIELDS, { name: "who", type: "text" }], {}, { gates: [], sender_field: "who" });
    const { id } = await load("one_of", "", "id,n,who\na,x,Scar\nb,2,Scar\n");
    expect(await listLoads(db, { feed: "one_of" })).toMatchObject([{ sender: "Scar" }]);
    expect(await sendersOfLoad(db, id)).toEqual([{ sender: "Scar", read: 2, held: 1 }]);
    const other = await load("one_of", "", "id,n,who\nc,x,\n");
    expect(await sendersOfLoad(db, other.id)).toEqual([{ sender: "", read: 1, held: 1 }]);
  });

  it("have what was handed over until it is released, comes back, or is taken back", async () => {
    const { db } = system;
    await newFeed(db, "three", FIELDS, {}, { gates: [] });
    const done = await load("three", "Hill", "id,n\na,x\nb,y\nc,z\n");
    expect(await handOver(db, "Hill", "one")).toBe(0);
    expect(await handOver(db, "Hill", "three")).toBe(3);
    expect(await handOver(db, "Hill", null)).toBe(0);
    const since = (await getHeld(db, done.id, 0)).withSender!;
    expect(Date.now() - since.getTime()).toBeLessThan(60_000);
    expect(await getSender(db, "Hill")).toMatchObject({ held: 3, withThem: 3, overdue: false });
    await releaseRecords(db, [{ load: done.id, record: 0, values: { n: "1" } }], "test");
    expect(await getSender(db, "Hill")).toMatchObject({ held: 2, withThem: 2 });
    // What comes later is not with them yet.
    await load("three", "Hill", "id,n\nd,x\n");
    expect(await getSender(db, "Hill")).toMatchObject({ held: 3, withThem: 2 });
    expect(await takeBack(db, "Hill", "three")).toBe(2);
    expect(await getSender(db, "Hill")).toMatchObject({ held: 3, withThem: 0, since: null });
  });

  it("are late once their days are over, and only where somebody has said how many they have", async () => {
    const { db } = system;
    await newFeed(db, "four", FIELDS, {}, { gates: [] });
    await load("four", "Dale", "id,n\na,x\n");
    await handOver(db, "Dale", null);
    await db.query(
      "update sieve.held set with_sender = now() - interval '10 days' where load in (select id from sieve.load where feed = 'four')",
    );
    expect((await getSender(db, "Dale")).overdue).toBe(false);
    const about = { contact: "Ada", address: "", note: "by post", destination: null };
    await putSender(db, "Dale", { ...about, daysToAnswer: 11 }, "test");
    expect(await getSender(db, "Dale")).toMatchObject({ ...about, daysToAnswer: 11, overdue: false });
    await putSender(db, "Dale", { ...about, daysToAnswer: 9 }, "test");
    expect((await getSender(db, "Dale")).overdue).toBe(true);
    expect((await listSenders(db))[0]!.name).toBe("Dale");
    const { name, withThem, since, daysToAnswer, overdue } = await getSender(db, "Dale");
    expect(await overdueSenders(db)).toEqual([{ name, withThem, since, daysToAnswer, overdue }]);
    await putSender(db, "Dale", { ...about, daysToAnswer: null }, "test");
    expect((await getSender(db, "Dale")).overdue).toBe(false);
    await expect(putSender(db, "Nobody", { ...about, daysToAnswer: 1 }, "test")).rejects.toMatchObject({
      code: "no-sender",
    });
  });
});

it("held records are late after the days of their feed's plan, and of no other feed", async () => {
  const { db } = system;
  let n = 0;
  const again = (feed: string) => load(feed, "", `id,n\na${n++},x\nb${n++},y\n`);
  for (const [feed, own] of [
    ["patient", {}],
    ["due", { held_days: 3 }],
  ] as const) {
    await newFeed(db, feed, FIELDS, own, { gates: [] });
    await again(feed);
  }
  const mine = async () => (await lateHeld(db)).filter((f) => ["patient", "due"].includes(f.feed));
  const late = async (feed: string) => (await heldGroups(db, { feed })).map((g) => g.late);
  expect(await mine()).toEqual([]);
  expect(await late("due")).toEqual([0]);
  await tamper(
    system,
    "update sieve.load set ended_at = ended_at - interval '4 days' where feed in ('patient', 'due')",
  );
  await again("due");
  expect(await mine()).toMatchObject([{ feed: "due", days: 3, late: 2 }]);
  expect(await late("due")).toEqual([2]);
  expect(await late("patient")).toEqual([0]);
  expect((await heldGroups(db, { feed: "due" }, "gain")).map((g) => g.late)).toEqual([2]);
});

it("senders are known by the order of day and month in which they wrote last", async () => {
  const { db } = system;
  const step = { do: "written-date", order: "by evidence", in: ["day"] };
  await newFeed(db, "dated", [...FIELDS, { name: "day", type: "date" }], {}, { gates: [], cleanse: [step] });
  await load("dated", "Carse", "id,n,day\na,1,04/05/2026\nb,2,31/05/2026\n");
  const order = async () => (await habitsOf(db, "Carse"))[0]!.evidence["order of day"];
  expect(await order()).toMatch(/^day is read day first: 1 of the first 2 values/);
  await load("dated", "Carse", "id,n,day\nc,1,04/05/2026\nd,2,05/31/2026\n");
  expect(await order()).toMatch(/^day is read month first/);
});
