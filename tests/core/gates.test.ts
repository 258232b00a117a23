import { describe, expect, it } from "vitest";
import type { HistoryEntry, Figure } from "@/core/gate/part.ts";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { usedIn } from "@/core/plan/uses.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll, type FileInMemory } from "../support/sift.ts";

const FIELDS = [
  { name: "id", type: "text" },
  { name: "g", type: "decimal", precision: 30, scale: 3 },
  { name: "land", type: "code", values: ["GB", "FR", "SE"] },
  { name: "on_day", type: "date", formats: ["yyyy-MM-dd"] },
];

const history = (figures: Figure[], loads = 5): HistoryEntry[] =>
  Array.from({ length: loads }, () => ({ read: 10, filled: [], figures }));

async function gate(
  own: object,
  file: FileInMemory | FileInMemory[],
  before: HistoryEntry[] = [],
  more: { read?: object; received?: Date } = {},
) {
  const plan = planOf(FIELDS, { gates: [own], ...(more.read ? { read: more.read } : {}) });
  const { report } = await siftAll(plan, [file].flat(), 1 << 20, {
    history: before,
    received: more.received ?? null,
  });
  return { ...report.gates[0]!, figures: report.figures };
}

const rows = (...lines: string[]) => csv(`id,g,land,on_day\n${lines.join("\n")}\n`);

describe("a gate on a sum", () => {
  const sums = (sum: string) => history([{ field: "g", count: 2, sum }]);
  const limit = { limit: "sum against history", field: "g", share: 0.1 };

  it("adds up exactly what is a number, whatever becomes of its record", async () => {
    const found = await gate(limit, rows("a,0.1,,", "b,0.2,,", "c,x,,", "d,123456789012345678.001,XX,"));
    expect(found.figures).toEqual([{ field: "g", count: 3, sum: "123456789012345678.301" }]);
    expect((await gate(limit, rows("a,-0.5,,", "b,-2,,"))).figures![0]!.sum).toBe("-2.5");
  });

  it("lets pass what is near the usual, and stops what is not", async () => {
    expect(await gate(limit, rows("a,5,,", "b,6,,"), sums("10"))).toMatchObject({
      gate: "sum against history of g",
      passed: true,
      message:
        "The sum of g is 11; in the last 5 loads of the sender it was 10 as a rule, and 10 % more or less is allowed.",
    });
    expect((await gate(limit, rows("a,6,,", "b,6,,"), sums("10"))).passed).toBe(false);
    expect((await gate(limit, rows("a,,,"), sums("10"))).message).toBe("g has no value, so it has no sum.");
    expect((await gate(limit, rows("a,6,,"), sums("10").slice(0, 2))).message).toContain("Only 2 loads before");
  });

  it("takes the mean where that is asked", async () => {
    const mean = { ...limit, limit: "mean against history" };
    expect((await gate(mean, rows("a,5,,", "b,5,,", "c,5,,"), sums("10"))).passed).toBe(true);
    expect((await gate(mean, rows("a,6,,"), sums("10"))).passed).toBe(false);
  });
});

describe("a gate on a distribution", () => {
  const before = history([
    {
      field: "land",
      count: 10,
      shares: [
        ["GB", 0.6],
        ["FR", 0.4],
      ],
    },
  ]);
  const limit = { limit: "distribution against history", field: "land", over: 0.2 };
  it("measures how much has moved, and says what most", async () => {
    const same = await gate(limit, rows("a,,GB,", "b,,GB,", "c,,GB,", "d,,FR,", "e,,FR,"), before);
    expect(same).toMatchObject({
      passed: true,
      message: "0 % of the values of land are others than usual, and 20 % may be.",
    });
    const moved = await gate(limit, rows("a,,GB,", "b,,SE,", "c,,SE,", "d,,FR,", "e,,FR,"), before);
    expect(moved.passed).toBe(false);
    expect(moved.message).toBe(
      "40 % of the values of land are others than usual, and 20 % may be: SE from 0 % to 40 %, GB from 60 % to 20 %.",
    );
  });
});

describe("a gate on freshness", () => {
  const limit = { limit: "freshness", field: "on_day", days: 30 };
  const received = new Date("2026-03-31T10:00:00Z");
  it("asks how old the newest day is when the delivery comes", async () => {
    expect(await gate(limit, rows("a,,,2026-01-01", "b,,,2026-03-01"), [], { received })).toMatchObject({
      passed: true,
      message: "The newest on_day is 2026-03-01, 30 days before the delivery came; 30 days are allowed.",
    });
    expect((await gate(limit, rows("a,,,2026-02-28"), [], { received })).passed).toBe(false);
    expect((await gate(limit, rows("a,,,soon"), [], { received })).message).toContain("on_day has no value");
  });
});

describe("control totals", () => {
  const own = {
    limit: "control totals",
    in: "last lines",
    find: "END;records=(?P<n>\\d+);grams=(?P<sum>[\\d., ]+)",
    records: "n",
    sums: [{ field: "g", group: "sum" }],
  };
  const read = { as: "delimited", skip_end: 1 };

  it("in the last line agree with what was read, or say by how much not", async () => {
    const file = (end: string) => csv(`id,g,land,on_day\na,1.5,,\nb,1000,,\n${end}\n`);
    expect(await gate(own, file("END;records=2;grams=1,001.5"), [], { read })).toMatchObject({
      passed: true,
      message: "records: 2 announced, 2 read; sum of g: 1,001.5 announced, 1,001.5 read.",
    });
    const short = await gate(own, file("END;records=3;grams=1001.5"), [], { read });
    expect(short).toMatchObject({
      passed: false,
      message: "records: 3 announced, 2 read, 1 too few; sum of g: 1,001.5 announced, 1,001.5 read.",
    });
    const none = await gate(own, file("total: unknown"), [], { read });
    expect(none).toMatchObject({ passed: false, message: "The control totals were not found in the last lines." });
  });

  it("of several files are added up", async () => {
    const file = (name: string, n: number) =>
      csv(`id,g,land,on_day\n${"a,1,,\n".repeat(n)}END;records=${n};grams=${n}\n`, name);
    expect((await gate(own, [file("1.csv", 2), file("2.csv", 3)], [], { read })).message).toContain(
      "records: 5 announced, 5 read",
    );
  });

  it("in a file beside the others, which is no records itself", async () => {
    const side = { ...own, in: "side file", name: "*.ctl" };
    const files = [rows("a,1,,", "b,2,,"), csv("END;records=2;grams=3\n", "a.ctl")];
    const plan = planOf(FIELDS, { gates: [side] });
    const { report, balance } = await siftAll(plan, files);
    expect(balance.read).toBe(2);
    expect(report.files.map((f) => f.name)).toEqual(["a.csv"]);
    expect(report.gates[0]).toMatchObject({ passed: true });
    expect((await siftAll(plan, files.slice(0, 1))).report.gates[0]!.message).toBe(
      "The control totals were not found in a file *.ctl, for there is none.",
    );
  });

  it.each([
    [{ ...own, records: "m" }, "The pattern has no group m."],
    [{ ...own, records: undefined, sums: undefined }, "It compares nothing"],
    [{ ...own, in: "side file" }, "A side file needs its name."],
    [own, "skip_end"],
    [{ ...own, sums: [{ field: "id", group: "sum" }] }, "id is of the type text; the gate needs integer or decimal."],
    [{ ...own, sums: [{ field: "nowhere", group: "sum" }] }, "There is no field nowhere."],
    [{ limit: "freshness", field: "g", days: 1 }, "g is of the type decimal"],
    [{ limit: "sum against history", field: "land", share: 1 }, "land is of the type code"],
  ])("and gates on figures are refused where they can't be: %j", (bad, words) => {
    const made = (): unknown => planOf(FIELDS, { gates: [JSON.parse(JSON.stringify(bad))] });
    expect(made).toThrow("fault");
    try {
      made();
    } catch (error) {
      expect((error as { detail: string }).detail).toContain(words);
    }
  });

  it("follow a field that is renamed, and go with one that is removed", () => {
    const plan = planOf(FIELDS, { gates: [own, { limit: "mean against history", field: "g", share: 1 }], read });
    const renamed = renameField(plan, "g", "grams");
    expect(renamed.gates).toMatchObject([{ sums: [{ field: "grams" }] }, { field: "grams" }]);
    expect(usedIn(plan, "g").map((u) => u.says)).toEqual(
      expect.arrayContaining(["the gate on control totals", "the gate on its mean against history"]),
    );
    expect(removeField(plan, "g").gates).toEqual([{ ...own, sums: undefined }]);
  });
});

describe("gates that come of the map section", () => {
  const stops = { extra: "stop", missing: "stop", retyped: "stop", reordered: "stop" };
  const judged = async (text: string, map: object = stops): Promise<Record<string, boolean>> => {
    const { report } = await siftAll(planOf(FIELDS, { map, gates: [] }), [csv(text)], 1 << 20);
    return Object.fromEntries(report.gates.map((g) => [g.gate, g.passed]));
  };
  const many = (row: (i: number) => string): string => Array.from({ length: 30 }, (_, i) => row(i)).join("\n");
  const sound = { "extra column": true, "missing column": true, "changed type": true, "reordered columns": true };

  it("stop at what each is about, and at nothing else", async () => {
    expect(await judged(`id,g,land,on_day\n${many((i) => `${i},1,GB,2026-05-01`)}\n`)).toEqual(sound);
    // Of another type, and no other fault.
    expect(await judged(`id,g,land,on_day\n${many((i) => `${i},x,GB,2026-05-01`)}\n`)).toEqual({
      ...sound,
      "changed type": false,
    });
    expect(await judged(`id,g,land,on_day,more\n${many((i) => `${i},1,GB,2026-05-01,z`)}\n`)).toEqual({
      ...sound,
      "extra column": false,
    });
    expect(await judged(`id,g,land\n${many((i) => `${i},1,GB`)}\n`)).toEqual({ ...sound, "missing column": false });
  });

  it("are there only where the plan stops at it", async () => {
    const text = `id,g,land,more\n${many((i) => `${i},x,GB,z`)}\n`;
    expect(await judged(text, {})).toEqual({});
    expect(await judged(text, { retyped: "stop" })).toEqual({ "changed type": false });
  });
});
