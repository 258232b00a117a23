import { expect, it } from "vitest";
import { newHistory, nextHistory, type HistoryEvent } from "@/ui/plan/history.ts";
import { planFrom } from "@/ui/plan/plan-json.tsx";
import { stageBeside } from "@/ui/plan/stage-list.tsx";
import { planOf } from "../support/plans.ts";

const plan = (name: string) => planOf([{ name, type: "text" }]);
const [a, b, c, d] = ["a", "b", "c", "d"].map(plan) as [ReturnType<typeof plan>, ...ReturnType<typeof plan>[]];
const after = (...events: HistoryEvent[]) => events.reduce(nextHistory, newHistory({ shown: a, proposed: null }));
const change = (to: ReturnType<typeof plan> | undefined): HistoryEvent => ({ does: "change", to: to! });

it("a change can be undone and done again, no further than there is something", () => {
  const two = after(change(b), change(c));
  expect(two).toEqual({ plans: [a, b, c], at: 2 });
  expect(nextHistory(two, { does: "undo" }).at).toBe(1);
  expect(after(change(b), { does: "undo" }, { does: "undo" }).at).toBe(0);
  expect(after(change(b), { does: "undo" }, { does: "redo" }, { does: "redo" }).at).toBe(1);
});

it("a change after an undo takes the place of what was undone", () => {
  expect(after(change(b), change(c), { does: "undo" }, change(d))).toEqual({ plans: [a, b, d], at: 2 });
});

it("what is saved is where the history begins; what was proposed elsewhere is a change", () => {
  expect(after(change(b), change(c), { does: "undo" }, { does: "saved" })).toEqual({ plans: [b], at: 0 });
  expect(newHistory({ shown: a, proposed: b! })).toEqual({ plans: [a, b], at: 1 });
});

it("stages follow one another, and end", () => {
  expect(stageBeside("Check", 1)).toBe("Look up");
  expect(stageBeside("Check", -1)).toBe("Cleanse");
  expect(stageBeside("Read", -1)).toBe("Read");
  expect(stageBeside("Load", 1)).toBe("Load");
});

it("a plan as a text is taken over whole, or what is wrong with it is said", () => {
  expect(planFrom(JSON.stringify(a))).toEqual({ plan: a });
  expect(planFrom("{")).toMatchObject({ problem: { hint: "Nothing was taken over." } });
  expect(planFrom(JSON.stringify({ ...a, load: { target: "t", key: ["z"] } }))).toMatchObject({
    problem: { title: "The plan has a fault.", detail: "load.key: There is no field z." },
  });
});
