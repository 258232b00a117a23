import { describe, expect, it } from "vitest";
import { stepPart } from "@/core/cleanse/index.ts";
import { readValueTable } from "@/core/cleanse/value-table.ts";
import { usualDate } from "@/core/cleanse/written-date.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll } from "../support/sift.ts";

const words = (id: string, options: object): string =>
  stepPart(id as "pad").words({ do: id, in: "*", ...options } as never);
const rules = (n: number) => Array.from({ length: n }, (_, i) => ({ is: `k${i}`, when: "true" }));

describe("a step in words", () => {
  it.each([
    ["pad", { length: 5, with: "0" }, "pad with “0” to 5 characters"],
    ["pad", { length: 5, with: ".", at: "beginning" }, "pad with “.” to 5 characters"],
    ["pad", { length: 5, with: ".", at: "end" }, "pad with “.” to 5 characters at the end"],
    ["fill", { with: "x" }, "fill when empty with “x”"],
    ["fill", { from: "other" }, "fill when empty from other"],
    ["fill", { above: true }, "fill when empty with the value above"],
    ["category", { rules: rules(1) }, "category by a rule: k0"],
    ["category", { rules: rules(4) }, "category by 4 rules: k0, k1, k2, k3"],
    ["category", { rules: rules(5), otherwise: "rest" }, "category by 5 rules: k0, k1, k2, k3, …, else rest"],
  ])("%s %j", (id, options, said) => {
    expect(words(id, options)).toBe(said);
  });
});

describe("years of two digits", () => {
  it.each([
    ["1 May 49", "2049-05-01"],
    ["1 May 50", "2050-05-01"],
    ["1 May 51", "1951-05-01"],
    ["1 May 1951", "1951-05-01"],
    ["1 May 051", null],
    ["31 April 2020", null],
  ])("%s is %s", (text, day) => {
    expect(usualDate(text, "day first")).toBe(day);
  });
});

describe("the order of day and month", () => {
  const plan = planOf([{ name: "d", type: "date", formats: ["yyyy-MM-dd"] }], {
    cleanse: [{ do: "written-date", in: ["d"], order: "by evidence" }],
  });
  const days = async (...texts: string[]) =>
    (await siftAll(plan, [csv(`d\n${texts.join("\n")}\n`)])).records.map((r) => r.cleansed[0]);

  it("is what the file's own dates say, and a number past 12 in both places says nothing", async () => {
    expect(await days("13.02.2020", "03.04.2020")).toEqual(["2020-02-13", "2020-04-03"]);
    expect(await days("02/13/2020", "03/04/2020")).toEqual(["2020-02-13", "2020-03-04"]);
    expect((await days("12/13/2020", "03/04/2020"))[1]).toBe("2020-03-04");
    expect((await days("13/12/2020", "03/04/2020"))[1]).toBe("2020-04-03");
    const [odd, other] = await days("13/14/2020", "02/13/2020");
    expect([odd, other]).toEqual(["13/14/2020", "2020-02-13"]);
  });
});

describe("a cell that is filled from above", () => {
  it("counts in each of its fields", async () => {
    const plan = planOf(
      ["a", "b"].map((name) => ({ name, type: "text" })),
      {
        cleanse: [{ do: "fill", in: ["a", "b"], above: true }],
      },
    );
    const { records, report } = await siftAll(plan, [csv("a,b\nx,y\n,\n,z\n,\n")]);
    expect(records.map((r) => r.cleansed.join(""))).toEqual(["xy", "xy", "xz", "xz"]);
    expect(report.steps.map((s) => s.changed)).toEqual([5]);
  });
});

describe("a table of spellings", () => {
  const read = (text: string) => readValueTable(new TextEncoder().encode(text));

  it("of more than 5 MB is refused with what to do", () => {
    expect(() => readValueTable(new Uint8Array((5 << 20) + 1))).toThrowError(
      expect.objectContaining({ code: "table-unusable", hint: "Split it, or look values up in a list." }) as Error,
    );
  });

  it("passes over a line that can't be read, and counts it", () => {
    expect(read('a,b\n"c,d\n')).toEqual({ to: { b: ["a"] }, spellings: 1, passedOver: 1 });
  });
});
