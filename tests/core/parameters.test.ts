import { describe, expect, it } from "vitest";
import { compilePlan } from "@/core/course/compile.ts";
import { fieldValues, problemsOf } from "@/core/course/of-record.ts";
import { siftRows } from "@/core/course/recheck.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import { differences } from "@/core/plan/difference.ts";
import { withNamed } from "@/core/plan/edit.ts";
import { handedBy, withoutTargets } from "@/core/plan/further-edit.ts";
import {
  namedOf,
  parameterFault,
  parametersGiven,
  valuesOf,
  type Parameter,
  type Run,
} from "@/core/plan/parameters.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll } from "../support/sift.ts";

/** What a run is given beside its plan. */

const FIELDS = [
  { name: "id", type: "text" },
  { name: "on_day", type: "date", formats: ["yyyy-MM-dd"] },
  { name: "n", type: "integer" },
  { name: "w", type: "decimal", precision: 9, scale: 3 },
];
const PARAMETERS: Parameter[] = [
  { name: "since", type: "date", default: "2000-01-01" },
  { name: "partner", type: "text", default: "" },
  { name: "at_least", type: "integer", default: "0" },
  { name: "heaviest", type: "decimal", default: "100" },
  { name: "strict", type: "boolean", default: "false" },
];
const plan = planOf(FIELDS, {
  parameters: PARAMETERS,
  cleanse: [
    { do: "leave-out", in: ["on_day"], when: "on_day < since()" },
    { do: "trim", in: ["id"] },
    { do: "case", in: ["id"], to: "upper" },
  ],
  check: [
    { name: "of the partner", that: 'partner() == "" || id == partner()' },
    { name: "enough", that: "n >= at_least()" },
    { name: "light", that: "w <= heaviest()" },
    { name: "even", that: "!strict() || n % 2 == 0" },
  ],
});

function run(told: Run, ...rows: string[][]) {
  const compiled = compilePlan(plan, undefined, { run: told });
  const sifted = siftRows(compiled, ["id", "on_day", "n", "w"], rows);
  return rows.map((_, r) => ({
    out: sifted.verdict[r] === VERDICT.leftOut,
    id: fieldValues(sifted, r)[0],
    failed: problemsOf(sifted, compiled, r).map((p) => p.check),
  }));
}

describe("parameters", () => {
  const row = [" bhg", "2026-05-31", "3", "100.5"];

  it("are in formulas what the plan says, or what the run is given", () => {
    expect(run({}, row)[0]).toEqual({ out: false, id: "BHG", failed: [expect.stringContaining("light")] });
    expect(run({ parameters: { since: "2026-06-01" } }, row)[0]!.out).toBe(true);
    expect(run({ parameters: { since: "2026-05-31" } }, row)[0]!.out).toBe(false);
    expect(run({ parameters: { heaviest: "100.5" } }, row)[0]!.failed).toEqual([]);
    const told = run({ parameters: { heaviest: "200", partner: "CWA", at_least: "4", strict: "true" } }, row)[0]!;
    expect(told.failed.map((k) => k.split(":").at(-1))).toEqual(["of the partner", "enough", "even"]);
  });

  it("are texts that no formula can break out of", () => {
    const quotes = `" || true || "`;
    expect(run({ parameters: { partner: quotes, heaviest: "200" } }, row)[0]!.failed).toHaveLength(1);
    const mad = `a\\"b\n'c'`;
    expect(
      run({ parameters: { partner: mad, heaviest: "200" } }, [mad, "2026-05-31", "3", "1"])[0]!.failed,
    ).toHaveLength(1);
    const upper = `A\\"B\n'C'`;
    expect(run({ parameters: { partner: upper } }, [mad, "2026-05-31", "3", "1"])[0]!.failed).toEqual([]);
  });

  it("are taken where they are of their type, and left out where they are as the plan has them", () => {
    expect(parametersGiven(plan, { since: " 2026-02-28 ", partner: " x", at_least: "-5" })).toEqual({
      since: "2026-02-28",
      partner: " x",
      at_least: "-5",
    });
    expect(parametersGiven(plan, { since: "2000-01-01", strict: "false" })).toEqual({});
    for (const [name, text] of Object.entries({
      since: "2026-02-29",
      at_least: "1.5",
      heaviest: "1e3",
      strict: "yes",
      partner: "x".repeat(501),
    })) {
      expect(() => parametersGiven(plan, { [name]: text })).toThrow(`The parameter ${name} can't be`);
    }
    expect(() => parametersGiven(plan, { sinc: "2026-01-01" })).toThrow("The plan has no parameter “sinc”.");
    expect(() => parametersGiven({}, { a: "" })).toThrow("The plan has no parameter “a”.");
  });

  it("have names that mean nothing else, and a usual value of their type", () => {
    const fault = (more: Partial<Parameter>) =>
      parameterFault({ name: "since", type: "date", default: "2026-01-01", ...more });
    expect(fault({})).toBeNull();
    expect(fault({ default: "1.1.2026" })).toBe("“1.1.2026” is not a day such as 2026-05-31.");
    expect(fault({ name: "day" })).toBe("day is a function of formulas already.");
    expect(fault({ name: "load" })).toBe("load means something else already.");
    expect(parameterFault(PARAMETERS[0]!, { since: { parameters: [], body: "1" } })).toContain("named formula");
    const twice = () => planOf(FIELDS, { parameters: [PARAMETERS[0], PARAMETERS[0]] });
    expect(twice).toThrow();
    expect(() => planOf(FIELDS, { check: [{ name: "x", that: "n > unknown_one()" }] })).toThrow();
    expect(() => planOf(FIELDS, { parameters: PARAMETERS, check: [{ name: "x", that: "n > since()" }] })).toThrow();
  });

  it("are told among the differences of plans, and stand before a library's formulas", () => {
    const other = planOf(FIELDS, { parameters: [{ ...PARAMETERS[0]!, default: "2020-01-01" }] });
    const first = planOf(FIELDS, { parameters: [PARAMETERS[0]] });
    expect(differences(first, other).map((d) => [d.what, d.was, d.is])).toEqual([
      [expect.stringContaining("since"), "2000-01-01", "2020-01-01"],
    ]);
    expect(withNamed(plan, { since: { parameters: [], body: "1" } }).formulas).toBeUndefined();
    expect(namedOf({})).toBeUndefined();
    expect(valuesOf(plan, { partner: "CWA", gone: "1" })).toMatchObject({ partner: "CWA", since: "2000-01-01" });
  });
});

describe("what is switched off for a run", () => {
  it("are steps by their place in the plan", () => {
    const rows = [" bhg", "1999-05-31", "3", "1"];
    expect(run({}, rows)[0]).toMatchObject({ out: true });
    expect(run({ steps: { "0": "all of them" } }, rows)[0]).toMatchObject({ out: false, id: "BHG" });
    expect(run({ steps: { "0": "", "2": "" } }, rows)[0]).toMatchObject({ out: false, id: "bhg" });
    // The plan itself stays as it is.
    expect(plan.cleanse.some((s) => s.off)).toBe(false);
  });

  it("are look-ups by name, whose fields then come as they are", () => {
    const sites = {
      name: "sites",
      version: 1,
      columns: ["name", "kind"],
      key: "name",
      entries: [["Fen", "wet"]],
    } satisfies Reference;
    const looking = planOf(
      [
        { name: "site", type: "text" },
        { name: "kind", type: "text" },
      ],
      {
        lookup: [
          { name: "s", list: "sites", how: "exact", by: [{ field: "site", column: "name" }], bring: { kind: "kind" } },
        ],
      },
    );
    const verdicts = (told: Run) => {
      const compiled = compilePlan(looking, new Map([["sites", sites]]), { run: told });
      const sifted = siftRows(
        compiled,
        ["site", "kind"],
        [
          ["Fen", ""],
          ["Moor", "own"],
        ],
      );
      return [0, 1].map((r) => [sifted.verdict[r], fieldValues(sifted, r)[1]]);
    };
    expect(verdicts({})).toEqual([
      [VERDICT.passes, "wet"],
      [VERDICT.unmatched, "own"],
    ]);
    expect(verdicts({ lookUps: { s: "the list is being mended" } })).toEqual([
      [VERDICT.passes, ""],
      [VERDICT.passes, "own"],
    ]);
  });

  it("are further targets by the name of their table, but for one that hands a value on", async () => {
    const handed = { name: "no", handed: { target: "t_people", column: "no" } };
    const further = [
      { target: "t_people", key: ["n"], numbered: "no", fields: [{ name: "n" }] },
      { target: "t_link", key: ["id"], fields: [{ name: "id" }, handed] },
      { target: "t_other", key: ["id"] },
    ];
    const many = planOf(FIELDS, { load: { ...plan.load, further } });
    const left = (...off: string[]) =>
      withoutTargets(many, Object.fromEntries(off.map((t) => [t, "x"]))).load.further?.map((f) => f.target);
    expect(left("t_other", "nothing")).toEqual(["t_people", "t_link"]);
    expect(left("t_people", "t_link", "t_other")).toBeUndefined();
    expect(withoutTargets(many)).toBe(many);
    expect(handedBy(many, ["t_people"])).toEqual(["t_link"]);
    expect(handedBy(many, ["t_people", "t_link"])).toEqual([]);
    expect(handedBy(many, ["t_other"])).toEqual([]);
    const own = { ...many, load: { ...many.load, taken_from: [{ field: "n", from: handed.handed }] } };
    expect(handedBy(own, ["t_people", "t_link"])).toEqual([many.load.target]);
    const { report } = await siftAll(many, [csv("id,on_day,n,w\na,2026-01-01,1,1\n")], undefined, {
      run: { targets: { t_other: "it is being moved" } },
    });
    expect(report.run!.targets).toEqual([{ name: "t_other", reason: "it is being moved" }]);
  });

  it("stands in the report, where there is anything to tell", async () => {
    const file = csv("id,on_day,n,w\na,2026-01-01,1,1\n");
    const { report } = await siftAll(plan, [file], undefined, {
      run: { parameters: { since: "2026-01-01" }, steps: { "1": "looked at" } },
    });
    expect(report.run!.parameters.filter((p) => p.told)).toEqual([{ name: "since", value: "2026-01-01", told: true }]);
    expect(report.run!.parameters).toHaveLength(5);
    expect(report.run!.steps).toEqual([{ words: "trim the ends in id", reason: "looked at" }]);
    expect(report.balance.outcomes.inserted).toBe(1);
    expect((await siftAll(planOf(FIELDS), [file])).report.run).toBeUndefined();
  });
});
