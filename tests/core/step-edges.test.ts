import { describe, expect, it } from "vitest";
import { findSpellings, spellingKey } from "@/core/cleanse/spellings.ts";
import { stepPart, type StepId } from "@/core/cleanse/index.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { cleansedValues } from "@/core/course/of-record.ts";
import { siftRows } from "@/core/course/recheck.ts";
import { planOf } from "../support/plans.ts";

/** What a step makes of values, in cells of one block, with how many it changed. */
function step(id: StepId, options: object, ...values: string[]): { values: string[]; changed: number } {
  const compiled = compilePlan(planOf([{ name: "a", type: "text" }], { cleanse: [{ do: id, in: ["a"], ...options }] }));
  const sifted = siftRows(
    compiled,
    ["a"],
    values.map((v) => [v]),
  );
  return { values: values.map((_, r) => cleansedValues(sifted, r)[0]!), changed: sifted.tally.steps[0]! };
}

describe("steps at the edges of what they change", () => {
  it.each<[StepId, object, [string, string][]]>([
    [
      "trim",
      {},
      [
        [" a ", "a"],
        ["\u2003a\u00a0b\u2003", "a\u00a0b"],
        ["\u3000\u3000", ""],
        ["é ", "é"],
        ["a", "a"],
      ],
    ],
    [
      "keep",
      { what: "digits" },
      [
        ["12-3", "123"],
        ["0/9", "09"],
        ["9:0", "90"],
        ["0987", "0987"],
        ["", ""],
      ],
    ],
    [
      "pad",
      { length: 3, with: "0" },
      [
        ["12", "012"],
        ["123", "123"],
        ["1234", "1234"],
      ],
    ],
    [
      "replace",
      { find: "ab", with: "x" },
      [
        ["abc", "xc"],
        ["cab", "cx"],
        ["ba", "ba"],
      ],
    ],
    [
      "empty-words",
      { words: ["n/a", "unknown"] },
      [
        ["N/A", ""],
        ["Unknown", ""],
        ["unknown site", "unknown site"],
        ["n", "n"],
      ],
    ],
    [
      "empty-words",
      { words: ["Änderung"] },
      [
        ["ÄNDERUNG", ""],
        ["änderung", ""],
      ],
    ],
    [
      "coordinate",
      {},
      [
        ["0° S", "0"],
        ["0°0'1\" S", "-0.000278"],
        ["90° N", "90"],
        ["91° N", "91° N"],
        ["W 180°", "-180"],
        ["181° W", "181° W"],
        // Degrees of no side may be of either kind.
        ["150,5", "150.5"],
        ["180,5", "180,5"],
        ["54° 59' 60\" N", "54° 59' 60\" N"],
        ["N 54° N", "N 54° N"],
      ],
    ],
    [
      "written-date",
      { order: "day first" },
      [
        ["5 March 2026", "2026-03-05"],
        ["2026 March 5", "2026-03-05"],
        ["3 March April 2026", "3 March April 2026"],
        ["5 March 926", "5 March 926"],
        ["5 March 0050", "5 March 0050"],
        ["5.3.926", "5.3.926"],
        ["31 April 2026", "31 April 2026"],
        ["0 March 2026", "0 March 2026"],
        ["5.13.2026", "5.13.2026"],
        ["5.0.2026", "5.0.2026"],
        ["March 2026", "March 2026"],
        ["1 2 March 2026", "1 2 March 2026"],
        ["5 March 51", "1951-03-05"],
        ["5 March 50", "2050-03-05"],
        ["March", "March"],
      ],
    ],
    [
      "written-date",
      // One word for November in the one and for October in the other.
      { order: "day first", languages: ["pl", "hr"] },
      [
        ["5 listopad 2026", "5 listopad 2026"],
        ["5 maj 2026", "2026-05-05"],
      ],
    ],
    [
      "unit",
      { to: "°F" },
      [
        ["10 °C", "50"],
        ["0 K", "-459.67"],
        ["-40 °C", "-40"],
        ["50 °F", "50"],
        ["50", "50"],
      ],
    ],
    [
      "unit",
      { to: "K", from: "°F" },
      [
        ["50", "283.15"],
        ["−10 °C.", "263.15"],
      ],
    ],
    [
      "cut",
      { length: 3 },
      [
        ["äöüß", "äöü"],
        ["abc", "abc"],
        ["abcd", "abc"],
        ["", ""],
      ],
    ],
    [
      "case",
      { to: "sentence" },
      [
        ["a", "A"],
        ["A", "A"],
        ["aB", "Ab"],
        ["", ""],
      ],
    ],
    [
      "marks",
      {},
      [
        ["a`b", "a'b"],
        ["a’b", "a'b"],
        ["a\u007fb", "a\u007fb"],
      ],
    ],
    [
      "web-address",
      {},
      [
        ["http://a.example/?q", "http://a.example/?q"],
        ["http://a.example/#x", "http://a.example/#x"],
        ["http://a.example/", "http://a.example"],
      ],
    ],
    [
      "e-mail",
      {},
      [
        ["mailto:a@b.example", "a@b.example"],
        ["MAILTO:a@b.example", "a@b.example"],
      ],
    ],
  ])("%s %j", (id, options, pairs) => {
    const { values, changed } = step(id, options, ...pairs.map(([from]) => from));
    expect(values).toEqual(pairs.map(([, to]) => to));
    expect(changed).toBe(pairs.filter(([from, to]) => from !== to).length);
  });

  it("fill a field from any other, the first one too", () => {
    const fields = [
      { name: "a", type: "text" },
      { name: "b", type: "text" },
    ];
    const rows = [
      ["x", ""],
      ["x", "y"],
      ["", ""],
    ];
    const filled = (options: object): string[][] => {
      const compiled = compilePlan(planOf(fields, { cleanse: [{ do: "fill", in: ["b"], ...options }] }));
      const sifted = siftRows(compiled, ["a", "b"], rows);
      return rows.map((_, r) => cleansedValues(sifted, r) as string[]);
    };
    expect(filled({ from: "a" })).toEqual([
      ["x", "x"],
      ["x", "y"],
      ["", ""],
    ]);
    expect(filled({ above: true })).toEqual([
      ["x", ""],
      ["x", "y"],
      ["", "y"],
    ]);
  });

  it("say in words what they do", () => {
    const words = (id: StepId, options: object): string => stepPart(id).words({ do: id, in: "*", ...options } as never);
    expect(words("keep", { what: "digits" })).toBe("keep only digits");
    expect(words("keep", { what: "pattern", pattern: "[A-Z]+" })).toBe("keep what “[A-Z]+” finds");
    const map = (n: number) => ({ to: Object.fromEntries(Array.from({ length: n }, (_, i) => [`v${i}`, ["x"]])) });
    expect(words("value-map", map(4))).not.toContain("…");
    expect(words("value-map", map(5))).toContain("v3, …");
  });

  it("look at the record above only where they are told to", () => {
    const follows = (options: object): boolean => stepPart("fill").follows?.(options as never) ?? false;
    expect([follows({ above: true }), follows({ above: false }), follows({ with: "x" })]).toEqual([true, false, false]);
  });
});

describe("spellings", () => {
  it("are the same without case, accents, marks and the order of words", () => {
    expect(spellingKey("Fen, Alder—  (north)")).toBe("alder fen north");
    expect(spellingKey("ÁLDER fen fen")).toBe("alder fen");
  });

  it("that are near go to the more frequent one; digits must be the same", () => {
    const groups = findSpellings([
      { value: "Alder Hollow", count: 50 },
      { value: "Alder Holow", count: 2 },
      { value: "Plot 12 north side", count: 40 },
      { value: "Plot 13 north side", count: 2 },
    ]);
    expect(groups.map((g) => [g.proposed.value, g.variants.map((v) => v.value)])).toEqual([
      ["Alder Hollow", ["Alder Holow"]],
    ]);
  });

  it("of nothing but marks are no spellings of each other, and short ones only by their keys", () => {
    const groups = findSpellings([
      { value: "?", count: 50 },
      { value: "--", count: 40 },
      { value: "", count: 30 },
      { value: "Fens", count: 90 },
      { value: "Fenn", count: 1 },
      { value: "fens", count: 1 },
      { value: "Alder", count: 90 },
      { value: "Aldre", count: 1 },
    ]);
    expect(groups.map((g) => [g.proposed.value, g.variants.map((v) => v.value)])).toEqual([["Fens", ["fens"]]]);
    const longer = findSpellings([
      { value: "Alders", count: 90 },
      { value: "Aldres", count: 1 },
      { value: "Alderss", count: 1 },
    ]);
    expect(longer.map((g) => g.variants.map((v) => v.value))).toEqual([["Alderss"]]);
  });
});
