import { describe, expect, it } from "vitest";
import { compilePlan } from "@/core/course/compile.ts";
import { siftRows } from "@/core/course/recheck.ts";
import { SendersSeen } from "@/core/course/senders-seen.ts";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { usedIn } from "@/core/plan/uses.ts";
import { differences } from "@/core/plan/difference.ts";
import { senderOfFiles } from "@/core/plan/senders.ts";
import { planOf } from "../support/plans.ts";
import { allOwed, dateOrders, notHanded, owesWords, shareHeld } from "@/ui/senders/owes.ts";

const now = new Date("2026-06-15T12:00:00Z");
const owes = (more: object = {}) => ({
  held: 10,
  withThem: 7,
  since: new Date("2026-06-01T12:00:00Z"),
  daysToAnswer: null,
  overdue: false,
  ...more,
});

describe("what a sender owes, in words", () => {
  it.each([
    [{}, "7 records for 14 days"],
    [{ daysToAnswer: 21 }, "7 records for 14 days of 21"],
    [{ daysToAnswer: 7, overdue: true }, "7 records for 14 days, due after 7"],
    [{ withThem: 1, since: new Date("2026-06-15T08:00:00Z") }, "1 record since today"],
    [{ withThem: 1, since: new Date("2026-06-14T11:00:00Z") }, "1 record for 1 day"],
    [{ withThem: 0, since: null }, "nothing"],
  ])("%j is %s", (more, words) => {
    expect(owesWords(owes(more), now)).toBe(words);
  });

  it("is counted over all of them", () => {
    const nobody = owes({ withThem: 0, since: null });
    expect(allOwed([])).toBe("Nobody has anything to send back.");
    expect(allOwed([nobody])).toBe("Nobody has anything to send back.");
    expect(allOwed([nobody, owes({ withThem: 1 })])).toBe("1 has 1 record to send back.");
    expect(allOwed([owes(), owes({ overdue: true })])).toBe("2 have 14 records to send back; 1 is overdue.");
    expect(notHanded(owes())).toBe(3);
  });
});

describe("whose files they are", () => {
  const senders = [
    { files: "bhg-*.csv", sender: "Brindle Hollow Garden" },
    { files: "*2026*", sender: "somebody" },
  ];
  it.each([
    [["bhg-2026-01.csv"], "Brindle Hollow Garden"],
    [["a.csv", "bhg-1.csv"], "Brindle Hollow Garden"],
    [["notes-2026.txt", "bhg-1.csv"], "Brindle Hollow Garden"],
    [["notes-2026.txt"], "somebody"],
    [["notes.txt"], null],
    [[], null],
  ])("%j are of %s", (names, sender) => {
    expect(senderOfFiles({ senders }, names)).toBe(sender);
  });

  it("is not told where the plan says nothing, and stands among its differences", () => {
    expect(senderOfFiles({}, ["bhg-1.csv"])).toBeNull();
    const fields = [{ name: "a", type: "text" }];
    const found = differences(planOf(fields), planOf(fields, { senders }));
    expect(found.map((d) => d.stage)).toEqual(["Read", "Read"]);
    expect(() => planOf(fields, { senders: [{ files: "*", sender: " " }] })).toThrow();
  });
});

describe("whose single records are", () => {
  const fields = ["id", "who", "n"].map((name) => ({ name, type: "text" }));
  const plan = planOf(fields, { sender_field: "who" });
  const counts = (compiled: ReturnType<typeof compilePlan>, rows: readonly string[][]) => {
    const seen = new SendersSeen(compiled);
    seen.add(siftRows(compiled, ["id", "who", "n"], rows));
    return seen.finish();
  };

  it("is counted by the field that says it, as it stands after Cleanse", () => {
    const upper = planOf(fields, { sender_field: "who", cleanse: [{ do: "case", to: "upper", in: ["who"] }] });
    const rows = [
      ["1", "Fen", ""],
      ["2", " moor ", ""],
      ["3", "fen", ""],
      ["4", "", ""],
    ];
    expect(counts(compilePlan(upper), rows)).toEqual([
      ["FEN", 2],
      ["", 1],
      ["MOOR", 1],
    ]);
    expect(counts(compilePlan(planOf(fields)), rows)).toEqual([]);
  });

  it("is nobody's whose name is not one that may stand there", () => {
    const codes = [fields[0]!, { name: "who", type: "code", values: ["FEN", "MOOR"] }, fields[2]!];
    const rows = [
      ["1", "FEN", ""],
      ["2", "2026-06-03", ""],
    ];
    expect(counts(compilePlan(planOf(codes, { sender_field: "who" })), rows)).toEqual([
      ["", 1],
      ["FEN", 1],
    ]);
  });

  it("is cut where it is too long for a name, and left to the delivery where there are very many", () => {
    expect(counts(compilePlan(plan), [["1", "x".repeat(200), ""]])).toEqual([["x".repeat(120), 1]]);
    const many = counts(
      compilePlan(plan),
      Array.from({ length: 6_000 }, (_, i) => [`${i}`, `s${i}`, ""]),
    );
    expect(many).toHaveLength(5_001);
    expect(many[0]).toEqual(["", 1_000]);
  });

  it("follows the field's name, goes with the field, and is one that there is", () => {
    expect(renameField(plan, "who", "whose").sender_field).toBe("whose");
    expect(removeField(plan, "who")).not.toHaveProperty("sender_field");
    expect(removeField(plan, "n").sender_field).toBe("who");
    expect(usedIn(plan, "who")).toContainEqual({ stage: "Read", says: "says whose a record is" });
    expect(() => planOf(fields, { sender_field: "nobody" })).toThrow();
    expect(differences(planOf(fields), plan).map((d) => [d.stage, d.what])).toEqual([["Read", "sender field"]]);
  });
});

describe("the share held of a sender's last loads", () => {
  it("is of all their records together", () => {
    const load = (id: number, read: number, held: number) => ({ id, read, held });
    expect(shareHeld([load(1, 100, 10), load(2, 900, 0)])).toBe(0.01);
    expect(shareHeld([load(1, 0, 0)])).toBeNull();
    expect(shareHeld([])).toBeNull();
  });
});

it("how a sender writes days is told of each field of which it was found out", () => {
  const evidence = {
    "order of day": "day is read day first: 4 of the first 9 values have a first part past 12, 0 a second one",
    delimiter: "comma: found",
    "order of seen": "seen is read month first: 0 of the first 9",
  };
  expect(dateOrders(evidence)).toEqual(["day is read day first", "seen is read month first"]);
  expect(dateOrders({ delimiter: "comma" })).toEqual([]);
});
