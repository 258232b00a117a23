import { describe, expect, it } from "vitest";
import { parametersOf, runRequestOf } from "@/cli/run-flags.ts";
import type { DeliveryRow, RunOutcome } from "@/store/runs.ts";
import {
  loadedOf,
  newerThanChosen,
  newTelling,
  offCount,
  requestOf,
  tell,
  trialWords,
  type TellingAct,
} from "@/ui/feeds/run.ts";

/** What a run is given, put together on a page and on the command line. */

const outcome = (held: number, more: Partial<RunOutcome> = {}): RunOutcome => ({
  id: 1,
  state: "loaded",
  read: 10,
  told: false,
  outcomes: { inserted: 4, updated: 1, unchanged: 2, merged: 0, held, waiting: 0, "left out": 3 - held },
  ...more,
});
const delivery = (id: number, more: Partial<DeliveryRow> = {}): DeliveryRow => ({
  id,
  receivedAt: new Date(0),
  sender: "",
  files: ["a.csv"],
  bytes: 1,
  kept: true,
  load: outcome(1),
  trial: null,
  ...more,
});
const after = (...acts: TellingAct[]) => acts.reduce(tell, newTelling([2]));

describe("a run that is put together", () => {
  const deliveries = [delivery(1), delivery(2), delivery(3, { kept: false })];

  it("asks for the chosen deliveries whose bytes are kept, and tells what differs from the plan", () => {
    expect(requestOf(after(), "trial", deliveries)).toEqual({ deliveries: [2], kind: "trial" });
    const told = after(
      { does: "choose all", deliveries: [1, 2, 3] },
      { does: "tell", parameter: "since", value: "2026-01-01" },
      { does: "tell", parameter: "garden", value: "" },
      { does: "tell", parameter: "since", value: null },
      { does: "switch step", step: 3 },
      { does: "switch", what: "checks", key: "a:required" },
      { does: "switch", what: "lookUps", key: "taxon" },
      { does: "switch", what: "lookUps", key: "taxon" },
      { does: "switch", what: "targets", key: "collector" },
      { does: "reason", reason: "known" },
    );
    expect(requestOf(told, "load", deliveries)).toEqual({
      deliveries: [1, 2],
      kind: "load",
      parameters: { garden: "" },
      without: { checks: ["a:required"], steps: [3], lookUps: [], targets: ["collector"], reason: "known" },
    });
    expect(offCount(told)).toBe(3);
  });

  it("chooses one, all, and none", () => {
    expect([...after({ does: "choose", delivery: 1 }).chosen]).toEqual([2, 1]);
    expect([...after({ does: "choose", delivery: 2 }).chosen]).toEqual([]);
    const all = { does: "choose all", deliveries: [1, 2] } as const;
    expect([...after(all).chosen]).toEqual([1, 2]);
    expect([...after(all, all).chosen]).toEqual([]);
  });

  it("names newer deliveries that are loaded and stay as they are", () => {
    const ids = (chosen: number[], of: DeliveryRow[]) => newerThanChosen(new Set(chosen), of).map((d) => d.id);
    expect(ids([1], deliveries)).toEqual([2, 3]);
    expect(ids([1, 2, 3], deliveries)).toEqual([]);
    expect(ids([3], deliveries)).toEqual([]);
    expect(ids([], deliveries)).toEqual([]);
    expect(
      ids([1], [delivery(1), delivery(2, { load: null }), delivery(3, { load: outcome(0, { state: "undone" }) })]),
    ).toEqual([]);
  });
});

describe("a trial in words", () => {
  it("counts what would happen to the target, and how held records differ", () => {
    expect(trialWords(outcome(1), outcome(1))).toBe("4 inserted, 1 updated, 2 unchanged, 1 held, 2 left out");
    expect(trialWords(outcome(0), outcome(3))).toBe("4 inserted, 1 updated, 2 unchanged, 3 left out; 3 fewer held");
    expect(trialWords(outcome(2), outcome(1))).toContain("; 1 more held");
    expect(trialWords(outcome(1), null)).not.toContain(";");
    expect(trialWords(outcome(1, { outcomes: null, state: "queued" }), null)).toBe("waits");
    expect(trialWords(outcome(1, { outcomes: null, state: "running" }), null)).toBe("runs");
    expect(trialWords(outcome(1, { outcomes: null, state: "failed" }), null)).toBe("failed");
    expect(loadedOf(outcome(1))).toBe(7);
    expect(loadedOf(outcome(1, { outcomes: null }))).toBeNull();
  });
});

describe("a run on the command line", () => {
  it("is told values as name=value, and what to do without", () => {
    expect(parametersOf(["since=2026-01-01", "filter=a=b", " garden ="])).toEqual({
      since: "2026-01-01",
      filter: "a=b",
      garden: "",
    });
    expect(() => parametersOf(["since"])).toThrow("“since” says no value");
    expect(() => parametersOf(["=x"])).toThrow("says no value");
    expect(runRequestOf({})).toEqual({});
    expect(runRequestOf({ parameter: ["a=1"], withoutStep: ["2"], reason: "x" })).toEqual({
      parameters: { a: "1" },
      without: { checks: undefined, steps: [2], lookUps: undefined, targets: undefined, reason: "x" },
    });
    expect(runRequestOf({ withoutTarget: ["collector"], reason: "x" }).without).toMatchObject({
      targets: ["collector"],
    });
    expect(runRequestOf({ without: ["a:type"] }).without).toMatchObject({ checks: ["a:type"], reason: "" });
    expect(() => runRequestOf({ withoutStep: ["two"] })).toThrow("“two” is not the number of a step.");
  });
});
