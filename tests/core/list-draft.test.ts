import { expect, it } from "vitest";
import { NO_DRAFT, changeWords, changesOf, nextDraft, type Draft, type DraftEvent } from "@/ui/references/draft.ts";

const after = (...events: DraftEvent[]): Draft => events.reduce(nextDraft, NO_DRAFT);
const row = ["NO", "Norway"];

it("a changed entry is taken out and put in with what was typed", () => {
  const draft = after({ does: "edit", id: 4, cells: row, column: 1, value: "Noreg" });
  expect(draft.edits).toEqual({ 4: ["NO", "Noreg"] });
  expect(changesOf(draft)).toEqual({ changed: 1, added: 0, gone: 0, add: [["NO", "Noreg"]], remove: [4] });
  expect(changeWords(draft)).toBe("1 changed");
});

it("an entry that goes is not changed beside, and may stay after all", () => {
  const edit: DraftEvent = { does: "edit", id: 4, cells: row, column: 1, value: "Noreg" };
  const gone = after(edit, { does: "take out", id: 4 });
  expect(changesOf(gone)).toEqual({ changed: 0, added: 0, gone: 1, add: [], remove: [4] });
  expect(changesOf(nextDraft(gone, { does: "take out", id: 4 }))).toMatchObject({ changed: 1, gone: 0, remove: [4] });
});

it("new entries count once something is in them, and can be dropped one by one", () => {
  const draft = after(
    { does: "add", cells: ["", ""] },
    { does: "add", cells: ["SE", ""] },
    { does: "edit new", at: 1, column: 1, value: "Sweden" },
    { does: "add", cells: ["DK", "Denmark"], proposal: 9 },
  );
  expect(changesOf(draft)).toMatchObject({
    added: 2,
    add: [
      ["SE", "Sweden"],
      ["DK", "Denmark"],
    ],
  });
  expect([...draft.taken]).toEqual([9]);
  expect(changesOf(nextDraft(draft, { does: "drop new", at: 1 })).add).toEqual([["DK", "Denmark"]]);
  expect(changeWords(nextDraft(draft, { does: "take out", id: 1 }))).toBe("2 added, 1 taken out");
});

it("a refused proposal is shown no more; all can be forgotten", () => {
  const draft = after({ does: "refuse", proposal: 3 }, { does: "replace", file: new File([], "lands.csv") });
  expect([...draft.taken]).toEqual([3]);
  expect(draft.replacing?.name).toBe("lands.csv");
  expect(nextDraft(draft, { does: "forget" })).toEqual(NO_DRAFT);
  expect(changeWords(NO_DRAFT)).toBe("");
});
