import { describe, expect, it } from "vitest";
import { differences } from "@/core/plan/difference.ts";
import { senderOfFiles } from "@/core/plan/senders.ts";
import { planOf } from "../support/plans.ts";
import { allOwed, notHanded, owesWords, shareHeld } from "@/ui/senders/owes.ts";

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

describe("the share held of a sender's last loads", () => {
  it("is of all their records together", () => {
    const load = (id: number, read: number, held: number) => ({ id, read, held });
    expect(shareHeld([load(1, 100, 10), load(2, 900, 0)])).toBe(0.01);
    expect(shareHeld([load(1, 0, 0)])).toBeNull();
    expect(shareHeld([])).toBeNull();
  });
});
