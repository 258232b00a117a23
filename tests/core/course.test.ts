import { describe, expect, it } from "vitest";
import { compilePlan } from "@/core/course/compile.ts";
import { Course } from "@/core/course/course.ts";
import { fieldValues, problemsOf } from "@/core/course/of-record.ts";
import { siftFile } from "@/core/course/files.ts";
import { checkTitle, faultTitle, lateProblem } from "@/core/course/problem-words.ts";
import { siftRows } from "@/core/course/recheck.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import type { SourceFile } from "@/core/read/part.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll } from "../support/sift.ts";

const TEXTS = ["a", "b", "c"].map((name) => ({ name, type: "text" }));
const keysOf = (plan: ReturnType<typeof planOf>): string[] => compilePlan(plan).checks.map((c) => c.key);

describe("the checks of a plan", () => {
  it("stand in the order of the contract, then rules, then the key, each once", () => {
    const plan = planOf(
      [
        { name: "id", type: "integer", required: true, unique: true },
        { name: "n", type: "decimal", precision: 9, scale: 2, least: 0, most: 9 },
        { name: "t", type: "text", length: 3, pattern: "^a" },
      ],
      {
        check: [
          { check: "unique", in: ["id", "n"], on_failure: "note" },
          { name: "some", that: "n > 1.0", in: ["n", "t"] },
          { name: "whole", that: "t != ''" },
          { check: "no gaps", field: "id" },
        ],
        load: { target: "x", key: ["id"] },
      },
    );
    expect(keysOf(plan)).toEqual([
      "id:type",
      "id:required",
      "id:unique",
      "n:type",
      "n:least",
      "n:most",
      "t:length",
      "t:pattern",
      "id+n:unique",
      "rule:some:n",
      "rule:some:t",
      "rule:whole",
      "between:id has no gaps",
    ]);
    const { checks, uniques } = compilePlan(plan);
    expect(uniques.map((i) => checks[i]!.key)).toEqual(["id:unique", "id+n:unique"]);
    expect(checks.map((c) => c.fields)).toEqual([[0], [0], [0], [1], [1], [1], [2], [2], [0, 1], [1], [2], [2], [0]]);
  });

  it("hold a repeat of the key whatever the field says, or stop at it", () => {
    const policy = (on_failure: unknown): string =>
      compilePlan(
        planOf([{ name: "a", type: "text", unique: true, on_failure }], { load: { target: "x", key: ["a"] } }),
      ).checks.find((c) => c.key === "a:unique")!.onFailure;
    expect([policy("note"), policy("hold"), policy({ unique: "stop" })]).toEqual(["hold", "hold", "stop"]);
  });

  it("ask of values of a map once for each field, where a step says so and is not switched off", () => {
    const map = (more: object) => ({ do: "value-map", in: ["a"], to: { x: ["y"] }, ...more });
    const plan = planOf(TEXTS, {
      cleanse: [
        map({ in: ["b"] }),
        map({ in: ["c"], unknown: "hold", off: true }),
        map({ unknown: "note" }),
        map({ unknown: "hold", to: { z: ["y"] } }),
      ],
    });
    const { checks } = compilePlan(plan);
    expect(checks.map((c) => [c.key, c.onFailure])).toEqual([["a:mapped", "note"]]);
  });

  it("say in words what is wrong with a value or a record", () => {
    const { checks, fields } = compilePlan(
      planOf(TEXTS, {
        check: [
          { name: "it is x", that: "it == 'x'", in: ["a"] },
          { name: "all fit", that: "b == c" },
        ],
      }),
    );
    expect(checks[0]!.message(fields[0]!, "y")).toBe("a “y”: not so that it is x.");
    expect(checks[1]!.message(fields[1]!, "y")).toBe("Not so: all fit.");
  });
});

describe("a check that is switched off for one load", () => {
  const plan = planOf(
    [
      { name: "id", type: "text", required: true },
      { name: "n", type: "integer", required: true, on_failure: { type: "note" } },
      { name: "m", type: "text", required: true },
    ],
    { load: { target: "x", key: ["id"] } },
  );
  const off = (keys: Record<string, string>) => compilePlan(plan, undefined, { off: keys });

  it("lets its field be empty, and no other", () => {
    const compiled = off({ "n:required": "as agreed" });
    expect(compiled.fields.map((f) => f.on_failure)).toEqual([
      undefined,
      { type: "note", required: "note" },
      undefined,
    ]);
    expect(compiled.checks.filter((c) => c.off !== null).map((c) => [c.key, c.off])).toEqual([
      ["n:required", "as agreed"],
    ]);
    expect(off({ "m:required": "as agreed" }).fields[2]!.on_failure).toEqual({ required: "note" });
  });

  it("is never the type of a value, nor that the key is there and given once", () => {
    const compiled = off({ "n:type": "no", "id:required": "no", "id:unique": "no" });
    expect(compiled.checks.filter((c) => c.off !== null)).toEqual([]);
    expect(compiled.fields.map((f) => f.on_failure)).toEqual([undefined, { type: "note" }, undefined]);
  });

  it("is not made, and the others are", () => {
    const columns = ["id", "n", "m"];
    const run = (keys: Record<string, string>) => siftRows(off(keys), columns, [["A", "", ""]]);
    expect(problemsOf(run({ "n:required": "x" }), off({ "n:required": "x" }), 0).map((p) => p.check)).toEqual([
      "m:required",
    ]);
    expect(problemsOf(run({}), off({}), 0).map((p) => p.check)).toEqual(["n:required", "m:required"]);
  });
});

it("dates are read also as a step writes them, in the fields that it works on", () => {
  const fields = [
    { name: "d", type: "date", formats: ["d.M.yyyy"] },
    { name: "e", type: "date", formats: ["d.M.yyyy"] },
    { name: "t", type: "timestamp", formats: ["d.M.yyyy HH:mm"] },
    { name: "x", type: "text" },
  ];
  const { readAs } = compilePlan(
    planOf(fields, { cleanse: [{ do: "written-date", order: "day first", in: ["d", "t", "x"] }] }),
  );
  expect(readAs.map((f) => f.formats?.length)).toEqual([2, 1, 4, undefined]);
  expect(readAs[0]!.formats).toContain("yyyy-MM-dd");
  const none = compilePlan(
    planOf(fields, { cleanse: [{ do: "written-date", order: "day first", in: ["d"], off: true }] }),
  );
  expect(none.readAs.map((f) => f.formats?.length)).toEqual([1, 1, 1, undefined]);
  const all = compilePlan(planOf(fields, { cleanse: [{ do: "written-date", order: "day first", in: "*" }] }));
  expect(all.readAs.map((f) => f.formats?.length)).toEqual([2, 2, 4, undefined]);
});

it("a step that is switched off does nothing, is counted as nothing, and is told of", async () => {
  const steps = (off: boolean) => [
    { do: "case", to: "upper", in: ["a"], ...(off ? { off } : {}) },
    { do: "leave-out", in: "*", when: "b == 'x'", ...(off ? { off } : {}) },
    { do: "derive", in: ["c"], by: "a + '!'", ...(off ? { off } : {}) },
  ];
  const run = async (off: boolean) => {
    const { records, report, balance } = await siftAll(planOf(TEXTS, { cleanse: steps(off) }), [
      csv("a,b\np,x\nq,y\n"),
    ]);
    return { values: records.map((r) => r.values.join()), left: balance.outcomes["left out"], steps: report.steps };
  };
  expect(await run(false)).toMatchObject({ values: [expect.any(String), "Q,y,Q!"], left: 1 });
  expect(await run(true)).toEqual({
    values: ["p,x,", "q,y,"],
    left: 0,
    steps: [
      { words: "upper case in a (switched off)", changed: 0 },
      { words: expect.stringMatching(/\(switched off\)$/), changed: 0 },
      { words: expect.stringMatching(/ in c \(switched off\)$/), changed: 0 },
    ],
  });
});

describe("a course", () => {
  it("can watch one step alone: what others change does not count", () => {
    const plan = planOf(TEXTS, {
      cleanse: [
        { do: "trim", in: "*" },
        { do: "join", in: ["c"], from: ["a", "b"], with: "-" },
        { do: "fill", in: ["b"], with: "none" },
      ],
    });
    const changed = (watch?: number): number[][] => {
      const course = new Course(compilePlan(plan), watch === undefined ? {} : { watch });
      course.openFile(["a", "b", "c"]);
      const block = siftRows(compilePlan(plan), ["a", "b", "c"], [[" x", "y", ""]]).block;
      return course.run(block).changed.map((f) => [...f.subarray(0, 1)]);
    };
    expect(changed()).toEqual([[1], [0], [1]]);
    expect(changed(0)).toEqual([[1], [0], [0]]);
    expect(changed(1)).toEqual([[0], [0], [1]]);
  });

  it("tells which values of a code came, and what came that is none, the commonest first", async () => {
    const plan = planOf([
      { name: "c", type: "code", values: ["x", "y", "z"] },
      { name: "d", type: "code", values: ["p"] },
    ]);
    const course = new Course(compilePlan(plan), { distinct: true });
    const source: SourceFile = {
      name: "a.csv",
      bytes: 0,
      async *chunks() {
        yield new TextEncoder().encode("c,d\nx,p\nq,p\nr,p\nr,\nz,p\n");
      },
    };
    for await (const _ of siftFile(course, source, 0, plan.read, () => Promise.reject(new Error("not spooled"))));
    expect(course.codes()).toEqual([
      {
        field: "c",
        seen: ["x", "z"],
        unknown: [
          { value: "r", count: 2 },
          { value: "q", count: 1 },
        ],
      },
      { field: "d", seen: ["p"], unknown: [] },
    ]);
  });

  it("gives a field the name of its file and its line, whichever the records come from", () => {
    const plan = planOf([
      { name: "v", type: "text" },
      { name: "f", type: "text", also: ["@file"] },
      { name: "l", type: "text", also: ["@line"] },
    ]);
    const compiled = compilePlan(plan);
    const sifted = siftRows(compiled, ["v"], [["one"], ["two"]], { files: ["a.csv", "b.csv"], lines: [7, 3] });
    expect([fieldValues(sifted, 0), fieldValues(sifted, 1)]).toEqual([
      ["one", "a.csv", "7"],
      ["two", "b.csv", "3"],
    ]);
  });

  it("reads a file that is a list to its end where it can be asked for once only, and has no records of it", async () => {
    const plan = planOf(TEXTS, {
      lookup: [{ name: "l", list: "l", file: "list*.csv", how: "exact", by: [{ field: "a", column: "k" }] }],
    });
    const read = async (once: boolean): Promise<[number, number]> => {
      let [pieces, records] = [0, 0];
      const source: SourceFile = {
        name: "list-1.csv",
        bytes: 8,
        ...(once ? { once: true as const } : {}),
        async *chunks() {
          for (const text of ["k\n", "1\n", "2\n"]) {
            pieces++;
            yield new TextEncoder().encode(text);
          }
        },
      };
      const course = new Course(compilePlan(plan));
      for await (const s of siftFile(course, source, 0, plan.read, () => Promise.reject(new Error("not spooled"))))
        records += s.block.count;
      return [pieces, records];
    };
    expect(await read(true)).toEqual([3, 0]);
    expect(await read(false)).toEqual([0, 0]);
  });
});

describe("what a look-up finds", () => {
  const LIST: Reference = {
    name: "seeds",
    version: 1,
    columns: ["name", "kind"],
    key: "name",
    entries: [
      ["oak", "tree"],
      ["oaks", "tree"],
      ["ash", "tree"],
      ["ash", "wood"],
    ],
  };
  const FIELDS = ["x", "kind", "score", "lead"].map((name) => ({ name, type: "text" }));
  const sifted = (more: object, value: string) => {
    const plan = planOf(FIELDS, {
      lookup: [
        {
          name: "seed",
          list: "seeds",
          how: "scored",
          by: [{ field: "x", column: "name", compare: "edit" }],
          least: 50,
          lead: 10,
          bring: { kind: "kind" },
          score_in: "score",
          lead_in: "lead",
          ...more,
        },
      ],
    });
    const compiled = compilePlan(plan, new Map([["seeds", LIST]]));
    const found = siftRows(compiled, ["x"], [[value]]);
    return { found, compiled, values: fieldValues(found, 0), problems: problemsOf(found, compiled, 0) };
  };

  it("brings the score and how far it is ahead, where it was asked", () => {
    const oak = sifted({}, "oak").values;
    expect(oak.slice(0, 3)).toEqual(["oak", "tree", "100"]);
    expect(Number(oak[3])).toBeGreaterThan(10);
    expect(sifted({}, "").values).toEqual(["", "", "", ""]);
    const none = sifted({ none: "pass" }, "zzzzzz").values;
    expect([none[1], Number(none[2]) < 50, none[3] !== ""]).toEqual(["", true, true]);
  });

  it.each([
    ["hold", VERDICT.unmatched, 1, "hold"],
    ["note", VERDICT.passes, 1, "note"],
    ["propose", VERDICT.passes, 1, "note"],
    ["pass", VERDICT.passes, 0, null],
  ])("without a partner, where the plan says %s", (none, verdict, problems, policy) => {
    const { found, compiled, problems: told } = sifted({ none }, "zzzzzz");
    expect(found.verdict[0]).toBe(verdict);
    expect(told).toHaveLength(problems);
    if (policy) expect(compiled.checks[0]!.onFailure).toBe(policy);
  });
});

describe("what only the whole delivery shows, in words", () => {
  const plan = planOf(TEXTS, {
    check: [{ check: "unique", in: ["a", "b"], on_failure: "note" }],
    load: { target: "x", key: ["c"], mode: "append" },
  });
  const compiled = compilePlan(plan);
  it("of one value, and of several together", () => {
    const one = lateProblem(compiled, { check: "c:unique", other: { file: "a.csv", line: 1200 }, detail: null }, ["x"]);
    expect(one).toMatchObject({
      field: "c",
      value: "x",
      message: "c “x” was already given in line 1,200 of a.csv.",
      onFailure: "hold",
    });
    const two = lateProblem(compiled, { check: "a+b:unique", other: { file: "a.csv", line: 2 }, detail: null }, [
      "x",
      "y",
    ]);
    expect(two).toMatchObject({
      field: "a",
      value: "x, y",
      message: "a and b “x” and “y” were already given in line 2 of a.csv.",
      onFailure: "note",
    });
  });
  it("of a key that the target has", () => {
    const taken = lateProblem(compiled, { check: "target:taken", other: null, detail: null }, ["x"]);
    expect(taken).toMatchObject({ field: "c", message: "c “x” is already in the target.", onFailure: "hold" });
  });
});

it("values are told once, however many files they stand in", async () => {
  const plan = planOf([{ name: "a", type: "text", unique: true }]);
  const { records } = await siftAll(plan, [csv("a\nx\ny\n"), csv("a\ny\nz\n", "b.csv")]);
  expect(records.map((r) => r.held)).toEqual([false, false, true, false]);
});

describe("what a course finds out beside its records", () => {
  const LIST: Reference = {
    name: "sites",
    version: 1,
    columns: ["name", "kind"],
    key: "name",
    entries: [["oak", "tree"]],
  };
  const asking = (more: object) => ({
    lookup: [
      {
        name: "site",
        list: "sites",
        how: "exact",
        by: [{ field: "a", column: "name" }],
        bring: { b: "kind" },
        ...more,
      },
    ],
  });
  const counts = (more: object, values: string[]) => {
    const plan = planOf(TEXTS, asking(more));
    const compiled = compilePlan(plan, new Map([["sites", LIST]]));
    const course = new Course(compiled);
    course.openFile(["a", "b", "c"]);
    const sifted = course.run(
      siftRows(
        compiled,
        ["a", "b", "c"],
        values.map((v) => [v, "", ""]),
      ).block,
    );
    return { counts: course.lookUpCounts()[0]!, values: values.map((_, r) => fieldValues(sifted, r)[1]) };
  };

  it("entries that are proposed, where the plan says so and for what was not found alone", () => {
    const proposed = (more: object) => counts(more, ["oak", "elm", "elm", "", "fir"]).counts.proposed ?? [];
    expect(proposed({ none: "propose" }).map((p) => p.cells[0])).toEqual(["elm", "fir"]);
    expect(proposed({ none: "note" })).toEqual([]);
    expect(proposed({})).toEqual([]);
  });

  it("what is filled where nothing was found", () => {
    expect(counts({ none: "pass", default: { b: "unknown" } }, ["oak", "elm", ""]).values).toEqual([
      "tree",
      "unknown",
      "unknown",
    ]);
    expect(counts({ none: "pass" }, ["oak", "elm", ""]).values).toEqual(["tree", "", ""]);
  });

  it("no column is missing for a field that is made", async () => {
    const plan = planOf(TEXTS, { cleanse: [{ do: "derive", in: ["c"], by: "a + 'x'" }], ...asking({}) });
    const made = await siftAll(plan, [csv("a\nq\n")]);
    expect(made.report.files[0]!.missing).toEqual([]);
    const without = await siftAll(planOf(TEXTS), [csv("a\nq\n")]);
    expect(without.report.files[0]!.missing).toEqual(["b", "c"]);
  });

  it("values of several fields are held against each other only where all are filled and of their type", async () => {
    const plan = planOf(
      [
        { name: "a", type: "text" },
        { name: "n", type: "integer", on_failure: "note" },
      ],
      { check: [{ check: "unique", in: ["a", "n"] }] },
    );
    const { records } = await siftAll(plan, [csv("a,n\nx,1\nx,1\nx,\nx,\n,1\n,1\nx,no\nx,no\ny,1\nx,01\n")]);
    expect(records.map((r) => r.repeats.length)).toEqual([0, 1, 0, 0, 0, 0, 0, 0, 0, 1]);
  });

  it("repeats across files, by where the first stands", async () => {
    const plan = planOf([{ name: "a", type: "text", unique: true }]);
    const { records } = await siftAll(
      plan,
      [csv("a\np\nq\n"), csv("a\nr\np\nq\n", "b.csv"), csv("a\nr\n", "c.csv")],
      3,
    );
    expect(records.map((r) => r.held)).toEqual([false, false, false, true, true, true]);
  });

  it("a file of which no column is a field is refused, if it has no record too", async () => {
    const plan = planOf(TEXTS);
    await expect(siftAll(plan, [csv("x,y\n1,2\n")])).rejects.toThrow("No column of a.csv is a field");
    await expect(siftAll(plan, [csv("x,y\n")])).rejects.toThrow("No column of a.csv is a field");
    await expect(siftAll(plan, [csv("x,a\n")])).resolves.toMatchObject({ records: [] });
  });

  it("columns that documents bring as they come are met when they come", async () => {
    const plan = planOf(TEXTS, { read: { as: "json-lines" } });
    const lines = Array.from({ length: 20_000 }, (_, i) => (i < 15_000 ? '{"a":"1"}' : '{"a":"1","b":"2"}'));
    const { records, report } = await siftAll(plan, [csv(lines.join("\n"), "a.jsonl")]);
    expect([records[0]!.values, records.at(-1)!.values]).toEqual([
      ["1", "", ""],
      ["1", "2", ""],
    ]);
    expect(report.files[0]!.columns).toEqual(["a", "b"]);
  });

  it("what a side file says, and no records of it", async () => {
    const plan = planOf(TEXTS, {
      gates: [{ limit: "control totals", in: "side file", name: "*.ctl", find: "(?P<n>\\d+)", records: "n" }],
    });
    const { records, report } = await siftAll(plan, [csv("a\nx\n"), csv("1", "a.ctl")]);
    expect(records).toHaveLength(1);
    expect(report.gates).toMatchObject([{ passed: true }]);
    const other = await siftAll(plan, [csv("a\nx\n"), csv("2", "a.ctl")]);
    expect(other.report.gates).toMatchObject([{ passed: false }]);
  });
});

describe("titles", () => {
  const plan = planOf(
    [
      { name: "x", type: "text", length: 4 },
      { name: "n", type: "integer", least: 3, most: 9, required: true },
    ],
    { check: [{ name: "fits", that: "n > 1" }] },
  );
  const compiled = compilePlan(plan);
  it("of checks say what holds", () => {
    expect(
      [
        "n:type",
        "n:least",
        "rule:fits",
        "read:nul",
        "target:taken",
        "target:no_gaps",
        "file:extra column z",
        "odd",
      ].map((key) => checkTitle(compiled, key)),
    ).toEqual([
      "n is a whole number",
      "n is at least 3",
      "fits",
      "the record has no NUL byte",
      "the key is not yet in the target",
      "the target's rule no_gaps holds",
      "no file has drifted: extra column z",
      "odd",
    ]);
    expect([checkTitle(null, "n:type"), checkTitle(null, "read:odd")]).toEqual(["n:type", "read:odd"]);
  });
  it("of faults say what is wrong, with the field's own limits", () => {
    expect(
      ["n:type", "n:required", "x:length", "n:least", "n:most", "x:pattern", "x+n:unique", "n:mapped"].map((key) =>
        faultTitle(key, plan.contract.fields),
      ),
    ).toEqual([
      "n is not a whole number",
      "n is empty",
      "x is too long",
      "n is less than 3",
      "n is more than 9",
      "x does not fit its pattern",
      "x and n given twice",
      "n is not in its value map",
    ]);
    expect(["n:type", "n:least", "n:most"].map((key) => faultTitle(key, []))).toEqual([
      "n is not of its type",
      "n is less than its least",
      "n is more than its most",
    ]);
    expect(
      ["look-up:s", "look-up:s:several", "between:b", "rule:r", "rule:r:n", "file:d", "target:t", "read:odd"].map(
        (key) => faultTitle(key, []),
      ),
    ).toEqual([
      "s is not in its list",
      "s fits several entries",
      "not so that b",
      "not so that r",
      "n: not so that r",
      "its whole file is held: d",
      "the target's rule t is broken",
      "odd",
    ]);
  });
});

it("a value map in all fields asks of each", () => {
  const plan = planOf(TEXTS, { cleanse: [{ do: "value-map", in: "*", to: { x: ["y"] }, unknown: "hold" }] });
  expect(keysOf(plan)).toEqual(["a:mapped", "b:mapped", "c:mapped"]);
  const sifted = siftRows(compilePlan(plan), ["a", "b", "c"], [["y", "x", "z"]]);
  expect(problemsOf(sifted, compilePlan(plan), 0).map((p) => p.message)).toEqual(["c “z” is not in its value map."]);
});
