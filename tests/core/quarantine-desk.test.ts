import { expect, it } from "vitest";
import type { HeldRecord } from "@/store/held.ts";
import { chosenOf, forDiscardOf, newDesk, nextDesk, type Desk, type DeskEvent } from "@/ui/quarantine/desk.ts";
import { idOf } from "@/ui/quarantine/held.ts";
import { queryOf } from "@/ui/quarantine/filter.ts";

/** Held records of load 7, of which the desk looks at nothing but their numbers. */
const held = (...records: number[]): HeldRecord[] => records.map((record) => ({ load: 7, record }) as HeldRecord);
const after = (desk: Desk, ...events: DeskEvent[]): Desk => events.reduce(nextDesk, desk);
const numbers = (list: readonly HeldRecord[]): number[] => list.map((h) => h.record);

it("moves within the records, and no further", () => {
  const desk = newDesk(held(1, 2, 3));
  expect(after(desk, { does: "move", by: 1 }).at).toBe(1);
  expect(after(desk, { does: "move", by: 15 }).at).toBe(2);
  expect(after(desk, { does: "go", to: 2 }, { does: "move", by: -15 }).at).toBe(0);
  expect(after(newDesk([]), { does: "move", by: 1 }).at).toBe(0);
});

it("is about the records that are picked, or else all of them, and discards the one that is open", () => {
  const desk = after(newDesk(held(1, 2, 3)), { does: "go", to: 1 });
  expect(numbers(chosenOf(desk))).toEqual([1, 2, 3]);
  expect(numbers(forDiscardOf(desk))).toEqual([2]);
  const picked = after(desk, { does: "pick", id: "7:3" }, { does: "pick", id: "7:1" });
  expect(numbers(chosenOf(picked))).toEqual([1, 3]);
  expect(numbers(forDiscardOf(picked))).toEqual([1, 3]);
  expect(numbers(chosenOf(after(picked, { does: "pick", id: "7:1" })))).toEqual([3]);
  expect(after(picked, { does: "pick all", picked: true }).picked.size).toBe(3);
  expect(after(picked, { does: "pick all", picked: false }).picked.size).toBe(0);
  expect(forDiscardOf(newDesk([]))).toEqual([]);
});

it("keeps what is typed by record and field, and forgets it for one record alone", () => {
  const desk = after(
    newDesk(held(1, 2)),
    { does: "edit", records: ["7:1", "7:2"], field: "site", value: "North" },
    { does: "edit", records: ["7:1"], field: "depth", value: "3" },
    { does: "edit", records: ["7:1"], field: "depth", value: "4" },
  );
  expect(desk.edits).toEqual({ "7:1": { site: "North", depth: "4" }, "7:2": { site: "North" } });
  expect(after(desk, { does: "reset", id: "7:1" }).edits).toEqual({ "7:2": { site: "North" } });
});

it("takes over several mends at once, and picks the records that they are of", () => {
  const mend = (field: string, to: string, ...records: string[]) => ({
    sets: [{ field, from: "", to }] as const,
    records,
    releases: 0,
    because: "",
  });
  const mends = [mend("site", "North", "7:1"), mend("depth", "3", "7:1", "7:2")];
  const desk = after(newDesk(held(1, 2, 3)), { does: "pick", id: "7:3" }, { does: "mend", mends });
  expect(desk.edits).toEqual({ "7:1": { site: "North", depth: "3" }, "7:2": { depth: "3" } });
  expect([...desk.picked].sort()).toEqual(["7:1", "7:2"]);
});

it("shows what is left when records have gone, with why others stayed", () => {
  const desk = after(
    newDesk(held(1, 2, 3)),
    { does: "go", to: 2 },
    { does: "pick", id: "7:3" },
    { does: "open", what: "discard" },
    { does: "gone", gone: new Set(["7:3"]), stayed: { "7:2": "too deep" }, said: { text: "Released 1 record." } },
  );
  expect(numbers(desk.records)).toEqual([1, 2]);
  expect(desk).toMatchObject({
    at: 1,
    stayed: { "7:2": "too deep" },
    said: { text: "Released 1 record." },
    open: null,
  });
  expect(desk.picked.size).toBe(0);
});

it("waits for the next page when all of a cause were worked on, and takes no other page over what is on the desk", () => {
  const page = held(1, 2, 3);
  const desk = newDesk(page);
  expect(after(desk, { does: "page", page: held(9) })).toBe(desk);
  const waiting = after(
    desk,
    { does: "go", to: 2 },
    { does: "pick", id: "7:1" },
    { does: "open", what: "all" },
    {
      does: "await",
      page,
      text: "Released 2 records.",
    },
  );
  expect(waiting).toMatchObject({ open: null, said: { text: "Released 2 records." } });
  expect(after(waiting, { does: "page", page })).toBe(waiting);
  const come = after(waiting, { does: "page", page: held(3) });
  expect(come.records.map(idOf)).toEqual(["7:3"]);
  expect(come).toMatchObject({ at: 0, awaited: null });
  expect(come.picked.size).toBe(0);
});

it("says where a page of the quarantine is, with something else in it", () => {
  const query = queryOf({ feed: "sites", load: 12, state: undefined });
  expect(query({})).toBe("feed=sites&load=12");
  expect(query({ load: undefined, check: "a b" })).toBe("feed=sites&check=a+b");
});
