import { describe, expect, it } from "vitest";
import { compileFormula } from "@/core/formula/compile.ts";
import { expandNamed, namedIn, type NamedFormulas } from "@/core/formula/named.ts";
import { tryNamed } from "@/core/formula/try-named.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { withFormula, withNamed } from "@/core/plan/edit.ts";
import { usesOfFormula } from "@/core/plan/uses.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { siftRows } from "@/core/course/recheck.ts";
import { fieldValues, problemsOf } from "@/core/course/of-record.ts";

const text = (name: string) => ({ name, type: "text" as const });
const NAMED: NamedFormulas = {
  tidy: { parameters: [text("value")], body: "lower(value).trim()" },
  same: { parameters: [text("a"), text("b")], body: "tidy(a) == tidy(b)" },
  half: { parameters: [{ name: "n", type: "decimal" }], body: "n / 2.0" },
};

describe("a named formula", () => {
  it.each([
    ["tidy(x)", "(lower((x)).trim())"],
    ["same(a, 'tidy(b)')", "((lower(((a))).trim()) == (lower((('tidy(b)'))).trim()))"],
    ["half(half(8.0)) + x", "(((8.0) / 2.0) / 2.0) + x"],
    ["x.tidy(1)", "x.tidy(1)"],
    ["tidy == 'a'", "tidy == 'a'"],
  ])("in %s is written out", (source, expected) => {
    const plain = (s: string): string => s.replace(/[()\s]/g, "");
    expect(plain(expandNamed(source, NAMED))).toBe(plain(expected));
  });

  it("gives what it is, in whatever it stands", () => {
    const value = (source: string): unknown => compileFormula(source, { fields: [], named: NAMED }).run([]);
    expect(value("same(' Ness', 'NESS ') && half(half(10.0)) == 2.5")).toBe(true);
    // What stands around it does not reach into it.
    expect(value("half(1.0 + 3.0) * 2.0")).toBe(4);
    expect([...namedIn("same(a, b)", NAMED)].sort()).toEqual(["same", "tidy"]);
  });

  it.each([
    ["tidy()", "tidy takes 1 value: value."],
    ["same('a')", "same takes 2 values: a, b."],
    ["half('a')", "A text and a decimal number"],
    ["round(tidy(1), 1)", "lower(text) takes a text"],
  ])("used as %s is refused", (source, message) => {
    expect(() => compileFormula(source, { fields: [], named: NAMED })).toThrow(message);
  });

  it("never uses itself, not even through another", () => {
    const circle: NamedFormulas = {
      ping: { parameters: [text("a")], body: "pong(a)" },
      pong: { parameters: [text("a")], body: "ping(a)" },
    };
    expect(() => compileFormula("ping('x')", { fields: [], named: circle })).toThrow("ping would use itself.");
    const wide: NamedFormulas = Object.fromEntries(
      Array.from({ length: 7 }, (_, i) => [
        `f${i}`,
        {
          parameters: [text("a")],
          body:
            i === 0
              ? "a + a"
              : Array(8)
                  .fill(`f${i - 1}(a)`)
                  .join(" + "),
        },
      ]),
    );
    expect(() => compileFormula("f6('x')", { fields: [], named: wide })).toThrow("too long");
  });

  it("is tried as a whole: its name, its body and its examples", () => {
    const examples = [
      { formula: "tidy(' A ')", gives: "a" },
      { formula: "tidy('B')", gives: "B" },
      { formula: "tidy(7)", gives: "7" },
    ];
    const tried = tryNamed("tidy", { ...NAMED["tidy"]!, examples }, {});
    expect(tried.type).toBe("string");
    expect(tried.examples.map((e) => [e.holds, e.gives])).toEqual([
      [true, "a"],
      [false, "b"],
      [false, null],
    ]);
    expect(tried.examples[2]!.fault).not.toBeNull();
    expect(() => tryNamed("lower", NAMED["tidy"]!, {})).toThrow("There is a function lower already.");
    expect(() => tryNamed("other", { parameters: [], body: "field == 'a'" }, {})).toThrow("field");
  });
});

describe("a plan that uses named formulas", () => {
  const plan = parsePlan(
    withNamed(
      {
        ...parsePlan({
          format: "good-sieve/plan@1",
          feed: "f",
          contract: { fields: ["a", "b"].map((name) => ({ name, type: "text" })) },
          load: { target: "t" },
        }),
        cleanse: [{ do: "derive", in: ["b"], by: "tidy(a)" }],
        check: [{ name: "known", that: "same(it, 'ness')", in: ["a"], on_failure: "hold" }],
      },
      NAMED,
    ),
  );

  it("carries them, and runs by itself", () => {
    expect(Object.keys(plan.formulas!)).toEqual(["same", "tidy"]);
    const sifted = siftRows(compilePlan(plan), ["a"], [[" NESS "], ["Tarn"]]);
    expect(fieldValues(sifted, 0)).toEqual([" NESS ", "ness"]);
    expect(problemsOf(sifted, compilePlan(plan), 1).map((p) => p.check)).toEqual(["rule:known:a"]);
  });

  it("says where each is used, and takes another version over", () => {
    expect(usesOfFormula(plan, "tidy").map((u) => u.stage)).toEqual(["Cleanse", "Check"]);
    expect(usesOfFormula(plan, "same").map((u) => u.says)).toEqual(["known, a"]);
    const next = parsePlan(withFormula(plan, "tidy", { parameters: [text("value")], body: "upper(value).trim()" }));
    expect(fieldValues(siftRows(compilePlan(next), ["a"], [[" ness "]]), 0)[1]).toBe("NESS");
    expect(withNamed({ ...plan, cleanse: [], check: [] }, NAMED).formulas).toBeUndefined();
  });

  it("is refused with a formula that can't be", () => {
    expect(() =>
      parsePlan({ ...plan, formulas: { ...plan.formulas, tidy: { parameters: [], body: "nothing" } } }),
    ).toThrow("The plan has");
  });
});
