import { describe, expect, it } from "vitest";
import { mergeValueTables, readValueTable, valueTableCsv } from "@/core/cleanse/value-table.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { fitSteps, removeField, renameField } from "@/core/plan/edit.ts";
import { usedIn } from "@/core/plan/uses.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Step } from "@/core/plan/sections.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { siftFile } from "@/core/course/files.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import { siftRows } from "@/core/course/recheck.ts";
import { Course } from "@/core/course/course.ts";
import { cleansedValues, fieldValues } from "@/core/course/of-record.ts";
import { planOf } from "../support/plans.ts";
import { csv, noSpool, siftAll, sourceOf, type FileInMemory } from "../support/sift.ts";

/** Runs files through the course, and gives what is known of them, and each block's carry with its values. */
async function run(plan: Plan, ...files: FileInMemory[]) {
  const course = new Course(compilePlan(plan));
  const facts: FileFacts[] = [];
  const blocks: { carry: string; file: number; values: string[][] }[] = [];
  for (const [i, file] of files.entries()) {
    const sifting = siftFile(course, sourceOf(file), i, plan.read, noSpool);
    for (let next = await sifting.next(); ; next = await sifting.next()) {
      if (next.done) {
        facts.push(...next.value);
        break;
      }
      const sifted = next.value;
      const values = Array.from({ length: sifted.block.count }, (_, r) => fieldValues(sifted, r));
      blocks.push({ carry: sifted.carry, file: i, values });
    }
  }
  return { facts, blocks, values: blocks.flatMap((b) => b.values) };
}

describe("filling with the value above", () => {
  const plan = planOf(
    [
      { name: "site", type: "text" },
      { name: "n", type: "integer" },
    ],
    {
      cleanse: [
        { do: "empty-words", in: ["site"], words: ["-"] },
        { do: "leave-out", in: "*", when: "n == 0" },
        { do: "fill", in: ["site"], above: true },
      ],
    },
  );

  it("goes down the file, past records that are left out or can't be read, and not into the next file", async () => {
    const { values } = await run(
      plan,
      csv("site,n\n,1\nA,2\n-,3\nB,0\n,4\nx,y,z\n,5\nC,6\n", "a.csv"),
      csv("site,n\n,7\nD,8\n,9\n", "b.csv"),
    );
    const sites = values.filter((v) => v[1] !== "0" && v[1] !== "").map((v) => v.join(""));
    expect(sites.filter((s) => /\d$/.test(s))).toEqual(["1", "A2", "A3", "A4", "A5", "C6", "7", "D8", "D9"]);
  });

  it("goes from block to block, and any block can be run again by itself with what the ledger keeps", async () => {
    const lines = Array.from({ length: 30_000 }, (_, i) => `${i % 9_001 === 5 ? `site ${i}` : ""},${i + 1}`);
    const file = csv(`site,n\n${lines.join("\n")}\n`);
    const { blocks, values } = await run(plan, file);
    expect(blocks.length).toBeGreaterThan(2);
    let last = "";
    values.forEach((v, i) => {
      if (i % 9_001 === 5) last = `site ${i}`;
      if (v[0] !== last) expect.fail(`record ${i} has ${v[0]}, not ${last}`);
    });
    expect(blocks[0]!.carry).toBe("");
    const course = new Course(compilePlan(plan));
    let at = blocks[0]!.values.length;
    for (const block of blocks.slice(1)) {
      const rows = block.values.map((_, r) => lines[at + r]!.split(","));
      course.openFile(["site", "n"]);
      course.carry = block.carry;
      const again = siftRowsWith(course, rows);
      expect(again).toEqual(block.values);
      at += block.values.length;
    }
  });

  it("does not go from one file's records to another's in a sample of both", () => {
    const sifted = siftRows(
      compilePlan(plan),
      ["site", "n"],
      [
        ["A", "1"],
        ["", "2"],
        ["", "3"],
      ],
      {
        files: ["a", "a", "b"],
        lines: [2, 3, 2],
      },
    );
    expect([0, 1, 2].map((r) => cleansedValues(sifted, r)[0])).toEqual(["A", "A", ""]);
  });
});

/** Rows as one block of an open course. */
function siftRowsWith(course: Course, rows: string[][]): string[][] {
  const made = siftRows(course.compiled, course.columns, rows).block;
  const sifted = course.run(made);
  return rows.map((_, r) => fieldValues(sifted, r));
}

describe("the order of day and month by evidence", () => {
  const plan = planOf(
    [
      { name: "on_day", type: "date", formats: ["yyyy-MM-dd"] },
      { name: "n", type: "integer" },
    ],
    { cleanse: [{ do: "written-date", in: ["on_day"], order: "by evidence", undecided: "month first" }] },
  );
  const file = (name: string, ...days: string[]) => csv(`on_day,n\n${days.map((d) => `${d},1`).join("\n")}\n`, name);

  it("is found for each file, and told with its counts", async () => {
    const { values, facts } = await run(
      plan,
      file("day.csv", "03/04/2026", "25/04/2026", "5 May 2026"),
      file("month.csv", "03/04/2026", "04/25/2026"),
      file("neither.csv", "03/04/2026", "05/06/2026"),
      file("both.csv", "03/04/2026", "25/04/2026", "04/25/2026"),
    );
    expect(values.map((v) => v[0])).toEqual([
      ...["2026-04-03", "2026-04-25", "2026-05-05"],
      ...["2026-03-04", "2026-04-25"],
      ...["2026-03-04", "2026-05-06"],
      ...["2026-03-04", "25/04/2026", "2026-04-25"],
    ]);
    expect(facts.map((f) => f.evidence["order of on_day"])).toEqual([
      "on_day is read day first: 1 of the first 3 values have a first part past 12, 0 a second one",
      "on_day is read month first: 0 of the first 2 values have a first part past 12, 1 a second one",
      "on_day is read month first: 0 of the first 2 values have a first part past 12, 0 a second one",
      "on_day is read month first: 1 of the first 3 values have a first part past 12, 1 a second one",
    ]);
  });

  it("is kept from the first records of a file to its end", async () => {
    const days = Array.from({ length: 20_000 }, (_, i) => (i === 3 ? "25/04/2026" : "03/04/2026"));
    const { values, blocks } = await run(plan, file("long.csv", ...days));
    expect(blocks.length).toBeGreaterThan(1);
    expect(new Set(values.map((v) => v[0]))).toEqual(new Set(["2026-04-03", "2026-04-25"]));
  });
});

describe("a value map", () => {
  const mapped = (more: object) =>
    planOf([{ name: "land", type: "text" }], {
      cleanse: [{ do: "value-map", in: ["land"], to: { GB: ["UK", "Great Britain"], FR: [] }, ...more }],
    });

  it("holds, or tells of, values that it has never seen, as the plan says", async () => {
    const file = csv("land,x\nuk,1\nFR,1\nAtlantis,1\n,1\n");
    const held = await siftAll(mapped({ unknown: "hold" }), [file]);
    expect(held.records.map((r) => r.held)).toEqual([false, false, true, false]);
    expect(held.records[2]!.problems).toMatchObject([
      { check: "land:mapped", value: "Atlantis", message: "land “Atlantis” is not in its value map." },
    ]);
    const noted = await siftAll(mapped({ unknown: "note" }), [file]);
    expect(noted.balance.outcomes.held).toBe(0);
    expect(noted.report.checks.find((c) => c.key === "land:mapped")).toMatchObject({
      problems: 1,
      fault: "land is not in its value map",
    });
    const stopped = await siftAll(mapped({ unknown: "stop" }), [file]);
    expect(stopped.report.gates.find((g) => g.gate === "land:mapped")?.passed).toBe(false);
    expect(() => mapped({ unknown: "hold", otherwise: "empty" })).toThrow("fault");
  });

  it.each([
    ["spelling first", "UK,GB\nGreat Britain,GB\nFR,FR\n", 2],
    ["by its heading", "becomes;spelling\nGB;UK\nGB;Great Britain\nFR;FR\n", 2],
    ["with tabs and a byte order mark", "\uFEFFvariant\tto\nUK\tGB\nGreat Britain\tGB\nFR\tFR\n", 2],
  ])("can be brought in, %s", (_, text, spellings) => {
    const table = readValueTable(new TextEncoder().encode(text));
    expect(table).toEqual({ to: { GB: ["UK", "Great Britain"], FR: [] }, spellings, passedOver: 0 });
    expect(readValueTable(new TextEncoder().encode(valueTableCsv(table.to))).to).toEqual(table.to);
    expect(valueTableCsv({ wild: ["w", "wld"], other: [] })).toBe(
      "spelling,becomes\r\nw,wild\r\nwld,wild\r\nother,other\r\n",
    );
  });

  it("passes over lines without two values, and refuses a file without any", () => {
    expect(readValueTable(new TextEncoder().encode("a,b\nonly\n,\nc,d\n"))).toMatchObject({
      spellings: 2,
      passedOver: 2,
    });
    expect(() => readValueTable(new TextEncoder().encode("one\ntwo\n"))).toThrow(
      "No line of the table has two values.",
    );
    expect(readValueTable(new TextEncoder().encode("x,__proto__\n")).spellings).toBe(1);
  });

  it("is joined with another, which has the last word about a spelling", () => {
    expect(mergeValueTables({ GB: ["UK", "EN"], FR: [] }, { EN: ["EN"], FR: ["F"] })).toEqual({
      GB: ["UK"],
      FR: ["F"],
      EN: ["EN"],
    });
  });
});

describe("a category by rules", () => {
  const plan = planOf(
    [
      { name: "g", type: "decimal", precision: 9, scale: 2 },
      { name: "size", type: "text" },
    ],
    {
      cleanse: [
        {
          do: "category",
          in: ["size"],
          rules: [
            { is: "small", when: "g < 1.0" },
            { is: "large", when: "g >= 10.0" },
          ],
        },
      ],
    },
  );

  it("covers what a rule is true for; the rest is empty, and so is what has no value to go by", async () => {
    const { records, report } = await siftAll(plan, [csv("g\n0.5\n1\n10\n\nmuch\n")]);
    expect(records.map((r) => r.values[1])).toEqual(["small", "", "large", "", ""]);
    expect(report.fields[1]).toMatchObject({ name: "size", filled: 2 });
  });

  it("follows a renamed field in each of its formulas, and goes with a removed one", () => {
    const renamed = parsePlan(renameField(plan, "g", "grams"));
    expect((renamed.cleanse[0]!["rules"] as { when: string }[]).map((r) => r.when)).toEqual([
      "grams < 1.0",
      "grams >= 10.0",
    ]);
    expect(usedIn(plan, "g").map((u) => u.says)).toContain("step 1, in its formula");
    expect(removeField(plan, "g").cleanse).toEqual([]);
  });

  it("must be true or false", () => {
    const broken = structuredClone(plan);
    (broken.cleanse[0]!["rules"] as { when: string }[])[0]!.when = "g + 1.0";
    expect(() => parsePlan(broken)).toThrow("fault");
  });
});

describe("a step that is switched off", () => {
  it("does nothing, keeps its number, and makes no field that needs no column", async () => {
    const steps = (off: boolean): Step[] => [
      { do: "case", in: ["a"], to: "upper", off },
      { do: "derive", in: ["b"], by: "a + '!'", off },
      { do: "leave-out", in: "*", when: "a == 'x'", off },
      { do: "trim", in: "*" },
    ];
    const fields = [
      { name: "a", type: "text" },
      { name: "b", type: "text" },
    ];
    const on = await siftAll(planOf(fields, { cleanse: steps(false) }), [csv("a\ny \nX\n")]);
    expect(on.report.steps.map((s) => s.changed)).toEqual([1, 2, 0, 1]);
    const off = await siftAll(planOf(fields, { cleanse: steps(true) }), [csv("a\nx \nx\n")]);
    expect(off.report.steps.map((s) => s.changed)).toEqual([0, 0, 0, 1]);
    expect(off.report.steps[0]!.words).toBe("upper case in a (switched off)");
    expect(off.records.map((r) => r.values)).toEqual([
      ["x", ""],
      ["x", ""],
    ]);
    expect(off.report.files[0]!.missing).toEqual(["b"]);
  });
});

describe("steps of another plan", () => {
  const here = planOf([
    { name: "a", type: "text" },
    { name: "b", type: "text" },
  ]);
  it("are put in as far as this one has their fields, and what is left is told with the reason", () => {
    const steps: Step[] = [
      { do: "trim", in: "*" },
      { do: "case", in: ["a", "z"], to: "upper" },
      { do: "case", in: ["z"], to: "upper" },
      { do: "fill", in: ["a"], from: "y" },
      { do: "derive", in: ["a"], by: "it + b" },
      { do: "derive", in: ["a"], by: "it + q" },
    ];
    const { steps: fit, left } = fitSteps(here, steps);
    expect(fit).toEqual([steps[0], { do: "case", in: ["a"], to: "upper" }, steps[4]]);
    expect(left).toEqual([
      "change case, for there is no field z",
      "fill when empty, for there is no field y",
      "derive by a formula, for there is no field q",
    ]);
  });
});

describe("what a step makes of one value", () => {
  const made = async (step: Record<string, unknown>, value: string): Promise<string> => {
    const plan = planOf(
      [
        { name: "v", type: "text" },
        { name: "n", type: "text" },
      ],
      { cleanse: [{ in: ["v"], ...step }] as Step[] },
    );
    const { values } = await run(plan, csv(`v,n\n"${value.replaceAll('"', '""')}",1\n`));
    return values[0]![0]!;
  };

  it.each([
    [{ do: "serial-date", count: "days since 1900" }, "0", "0"],
    [{ do: "serial-date", count: "days since 1900" }, "0.5", "0.5"],
    [{ do: "serial-date", count: "days since 1900" }, "2958465", "9999-12-31"],
    [{ do: "serial-date", count: "days since 1900" }, "2958466", "2958466"],
    [{ do: "serial-date", count: "seconds since 1970" }, "253402300799", "9999-12-31T23:59:59"],
    [{ do: "serial-date", count: "seconds since 1970" }, "253402300800", "253402300800"],
    [{ do: "serial-date", count: "seconds since 1970" }, "-62135596800", "0001-01-01T00:00:00"],
    [{ do: "serial-date", count: "seconds since 1970" }, "-62135596801", "-62135596801"],
    [{ do: "trim" }, "   ", ""],
    [{ do: "trim" }, "  a b ", "a b"],
    [{ do: "empty-words", words: ["n/a", "né"] }, "NÉ", ""],
    [{ do: "empty-words", words: ["n/a", "né"] }, "n/a n/a n/a", "n/a n/a n/a"],
    [{ do: "empty-words", words: ["n/a"] }, "m/a", "m/a"],
    [{ do: "case", to: "upper" }, "zebra É", "ZEBRA É"],
    [{ do: "case", to: "upper" }, "ABC é", "ABC É"],
    [{ do: "case", to: "upper" }, "12 z", "12 Z"],
    [{ do: "case", to: "upper" }, "ABC 12", "ABC 12"],
    [{ do: "case", to: "lower" }, "A", "a"],
    [{ do: "case", to: "lower" }, "Z É", "z é"],
    [{ do: "case", to: "lower" }, "abc", "abc"],
    [{ do: "keep", what: "digits" }, "a1b2", "12"],
    [{ do: "web-address" }, "https://ashmere/x", "https://ashmere/x"],
    [{ do: "web-address" }, "ashmere.example", "https://ashmere.example"],
    [{ do: "web-address" }, "http://[::1]/x", "http://[::1]/x"],
    [{ do: "web-address" }, "http://a..b/x", "http://a..b/x"],
    [{ do: "web-address" }, "ftp://ashmere.example/x", "ftp://ashmere.example/x"],
  ])("%j of %j is %j", async (step, from, to) => {
    expect(await made(step, from)).toBe(to);
  });

  it("splits into as many fields as there are, and says what becomes of more parts", async () => {
    const split = async (value: string, many?: string): Promise<string[]> => {
      const plan = planOf(
        [
          { name: "a", type: "text" },
          { name: "b", type: "text" },
        ],
        { cleanse: [{ do: "split", in: ["a", "b"], from: "a", by: ",", ...(many && { many }) }] as never },
      );
      return (await run(plan, csv(`a,b\n"${value}",\n`))).values[0]!;
    };
    expect(await split("x,y")).toEqual(["x", "y"]);
    expect(await split("x,y,z")).toEqual(["x", "y,z"]);
    expect(await split("x,y,z,w", "last takes the rest")).toEqual(["x", "y,z,w"]);
    expect(await split("x,y,z", "the rest is dropped")).toEqual(["x", "y"]);
    expect(await split("x,y,z", "leave as it is")).toEqual(["x,y,z", ""]);
    expect(await split("x,y", "leave as it is")).toEqual(["x", "y"]);
  });
});
