import { describe, expect, it } from "vitest";
import { FormulaColumns, cellOf } from "@/core/formula/columns.ts";
import { compileFormula } from "@/core/formula/compile.ts";
import { Heap, emptyCells } from "@/core/kernel/bytes.ts";
import type { Field } from "@/core/field/field.ts";
import { CONTRACT_STANDARDS, giveContract, takeContract } from "@/core/interop/contract.ts";
import { columnTakes } from "@/core/interop/table.ts";
import { typePart } from "@/core/type/index.ts";
import { csv, siftAll } from "../support/sift.ts";
import { planOf } from "../support/plans.ts";

/** Times, money, UUIDs, lists and JSON: from the cell to the formula and to other standards. */

const fields: Field[] = [
  { name: "opens", type: "time", formats: ["HH:mm", "h:mm a"] },
  { name: "closes", type: "time", formats: ["HH:mm"] },
  { name: "price", type: "money", currency: "EUR" },
  { name: "paid", type: "money" },
  { name: "id", type: "uuid" },
  { name: "tags", type: "list", of: "text", by: ";" },
  { name: "counts", type: "list", of: "integer", by: "," },
  { name: "more", type: "json" },
];

const CELLS = {
  opens: "9:30 am",
  closes: "17:00",
  price: "€ 1,234.5",
  paid: "12.5 GBP",
  id: "{0190B3A4-7C1E-7D2A-8F3B-5A6C7D8E9F01}",
  tags: "elm; ash",
  counts: "3,1,2",
  more: '{"site": {"code": "SMH"}, "g": [1.50]}',
};

/** A formula's value for one record as it arrives, by both ways through it. */
function value(source: string, cells: Partial<Record<string, string>> = CELLS, day?: string): unknown {
  const formula = compileFormula(source, { fields, day });
  const heap = new Heap(new Uint8Array(1), 0);
  const columns = fields.map(({ name }) => {
    const own = emptyCells(1);
    own.start[0] = heap.append(cells[name] ?? "");
    own.end[0] = heap.length;
    return own;
  });
  const of = (run: (typeof formula)["run"]): unknown => {
    const over = new FormulaColumns({ ...formula, run });
    over.read({ fields, heap, cells: columns }, 1, false);
    return over.value(0);
  };
  const [own, library] = [of(formula.run), of(formula.reference)];
  expect(own).toEqual(library);
  return own;
}

describe("in formulas", () => {
  it.each([
    ["closes - opens", 7.5 * 3600e6],
    ["opens < duration('10h')", true],
    ["price > 1234.0", true],
    ["currencyOf(paid) == 'GBP' && amountOf(paid) == 12.5", true],
    ["id.startsWith('0190b3a4-')", true],
    ["'ash' in tags", true],
    ["'oak' in tags", false],
    ["size(tags)", 2],
    ["tags.exists(t, t == 'elm')", true],
    ["2 in counts", true],
    ["counts.all(n, n > 0)", true],
    ["jsonAt(more, '/site/code')", "SMH"],
    ["jsonAt(more, '/g/0') + ' g'", "1.50 g"],
    ["jsonAt(more, '/g')", "[1.50]"],
    ["math.greatest(1, 2.5)", 2.5],
    ["math.round(-0.4)", 0],
    ["math.bitShiftRight(-1, 60)", 15],
  ])("%s", (source, expected) => expect(value(source)).toEqual(expected));

  it("the day of the load is an input", () => {
    expect(value("load.day < timestamp('2026-11-30T00:00:00Z')", CELLS, "2026-11-29")).toBe(true);
    expect(value("load.day < timestamp('2026-11-30T00:00:00Z')", CELLS, "2026-11-30")).toBe(false);
    expect(value("tags.exists(t, t == 'elm') && year(load.day) == 2026", CELLS, "2026-11-29")).toBe(true);
    expect(() => value("load.day < timestamp('2026-11-30T00:00:00Z')")).toThrow("The day of the load is not at hand.");
    expect(() => compileFormula("load.night == load.day", { fields })).toThrow("load.day, and not load.night");
    // A field of that name is the field.
    expect(() => compileFormula("load == 'a'", { fields: [{ name: "load", type: "text" }] })).not.toThrow();
  });

  it("what math makes is refused where it is not asked so", () => {
    expect(() => compileFormula("math.greatest(opens, closes)", { fields })).toThrow("math.greatest(a, b) takes");
    expect(() => compileFormula("math.nothing(1)", { fields })).toThrow();
    expect(() => value("math.bitShiftLeft(1, -1)")).toThrow("less than nothing");
  });

  it("go back into cells that their types take", () => {
    const time = fields[0]!;
    expect(cellOf(9.5 * 3600e6, time, "duration")).toBe("09:30:00.000000");
    expect(cellOf(-1, time, "duration")).not.toMatch(/^\d\d:/);
    expect(cellOf(24 * 3600e6, time, "duration")).not.toMatch(/^\d\d:/);
    expect(cellOf(["a", "b;c"], fields[5]!, "list")).toBe('["a","b;c"]');
  });
});

describe("the rule “not in the future”", () => {
  it("is judged by the day of the load", async () => {
    const plan = planOf([{ name: "day", type: "date" }], {
      check: [{ name: "not in the future", that: "day <= load.day" }],
    });
    const on = async (day: string) =>
      (await siftAll(plan, [csv("day\n2026-11-29\n")], 1 << 20, { day })).balance.outcomes.held;
    expect(await on("2026-11-28")).toBe(1);
    expect(await on("2026-11-29")).toBe(0);
  });
});

describe("limits", () => {
  const faults = (field: Field): string => {
    try {
      planOf([field]);
      return "";
    } catch (error) {
      return (error as { detail: string }).detail;
    }
  };

  it("are for what has an order", () => {
    expect(faults({ ...fields[0]!, least: "09:00" })).toBe("");
    expect(faults({ ...fields[0]!, least: "9 o'clock" })).toContain("is not a value of the type time");
    expect(faults({ ...fields[2]!, most: 100 })).toBe("");
    expect(faults({ ...fields[3]!, most: 100 })).toContain("names its own currency has no order");
    expect(faults({ ...fields[4]!, most: "a" })).toContain("The type uuid has no order");
    expect(faults({ name: "a", type: "text", sized: true })).toContain("needs a length");
    expect(faults({ name: "a", type: "money", currency: "XXQ" })).toContain("ISO 4217");
    expect(faults({ name: "a", type: "time", formats: ["h:mm"] })).toContain("needs “a” beside “h”");
    expect(faults({ name: "a", type: "time", formats: ["yyyy-MM-dd HH:mm"] })).toContain("more than a time of day");
  });

  it("hold of times and amounts", async () => {
    const plan = planOf([
      { ...fields[0]!, least: "09:00" },
      { ...fields[2]!, most: 100 },
    ]);
    const { records } = await siftAll(plan, [csv("opens,price\n08:59,1\n9:00 am,100.00\n10:00,€100.01\n")]);
    expect(records.map((r) => r.problems.map((p) => p.message).join())).toEqual([
      "opens “08:59:00.000000” is less than 09:00.",
      "",
      "price “100.01” is more than 100.",
    ]);
  });
});

describe("settings in a line", () => {
  it.each([
    ["text", "varchar 20", { length: 20, sized: true }, "varchar 20"],
    ["text", "20", { length: 20 }, "20"],
    ["text", "many", {}, ""],
    ["integer", "32", { bits: "32" }, "32"],
    ["integer", "64", {}, ""],
    ["money", "eur decimal , 3", { currency: "EUR", decimal: ",", scale: 3 }, "EUR decimal , 3"],
    ["money", "abc", {}, ""],
    ["list", "integer |", { of: "integer", by: "|" }, "integer |"],
    ["list", "", { of: "text", by: ";" }, "text ;"],
    ["time", "H.mm, HH:mm", { formats: ["H.mm", "HH:mm"] }, "H.mm, HH:mm"],
    ["boolean", "ja / nein", { words: { yes: ["ja"], no: ["nein"] } }, "ja / nein"],
  ] as const)("%s: %s", (type, line, options, shown) => {
    const part = typePart(type).line!;
    expect(part.take(line)).toEqual(options);
    expect(part.show(options)).toBe(shown);
  });
});

describe("columns of a database", () => {
  const takes = (type: string, field: Omit<Field, "name">): boolean =>
    columnTakes({ type, labels: null }, { name: "a", ...field });

  it.each([
    ["time without time zone", fields[0]!, true],
    ["time with time zone", fields[0]!, false],
    ["numeric(16,2)", fields[2]!, true],
    ["numeric(16,1)", fields[2]!, false],
    ["text", fields[3]!, true],
    ["character varying(10)", fields[3]!, false],
    ["uuid", fields[4]!, true],
    ["text[]", fields[5]!, true],
    ["bigint[]", fields[5]!, false],
    ["bigint[]", fields[6]!, true],
    ["jsonb", fields[7]!, true],
    ["smallint", { name: "a", type: "integer", bits: "16" }, true],
    ["smallint", { name: "a", type: "integer", bits: "32" }, false],
    ["smallint", { name: "a", type: "integer", least: 0, most: 9 }, true],
  ] as [string, Field, boolean][])("%s: %o", (type, field, expected) => expect(takes(type, field)).toBe(expected));
});

describe("other standards", () => {
  it.each(CONTRACT_STANDARDS.map((s) => [s]))("%s has words for them, or says that it has not", (standard) => {
    const plan = planOf(fields);
    const { document, lost } = giveContract(plan, standard);
    const taken = takeContract(JSON.parse(JSON.stringify(document)) as object);
    for (const f of plan.contract.fields) {
      const again = taken.fields.find((t) => t.name === f.name)!;
      if (again.type !== f.type)
        expect(
          lost.some((l) => l.startsWith(`${f.name}:`)),
          f.name,
        ).toBe(true);
      if (f.type === "list") expect(again).toMatchObject({ type: "list", of: f.of });
    }
  });
});
