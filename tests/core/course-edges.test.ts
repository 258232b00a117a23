import { describe, expect, it } from "vitest";
import { canSwitchOff, compilePlan } from "@/core/course/compile.ts";
import { fieldValues, problemsOf } from "@/core/course/of-record.ts";
import { siftRows } from "@/core/course/recheck.ts";
import type { FileFacts } from "@/core/read/facts.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import { planOf } from "../support/plans.ts";
import { csvRow } from "@/core/write/csv.ts";
import { MemorySpill } from "@/core/check/repeats.ts";
import { Course } from "@/core/course/course.ts";
import { siftFile } from "@/core/course/files.ts";
import { csv, noSpool, siftAll, sourceOf } from "../support/sift.ts";

/** The course of a load at its edges: look-ups that find nothing, last lines of files, checks that are switched off. */

const text = (name: string, more: object = {}) => ({ name, type: "text", ...more });

const SITES: Reference = {
  name: "sites",
  version: 1,
  columns: ["code", "name", "from", "to", "kind"],
  key: "code",
  entries: [
    ["A", "Fen", "0", "99", "wet"],
    ["B", "Fen", "100", "199", "dry"],
    ["C", "Hill", "200", "299", "dry"],
  ],
};

/** A plan that asks the list as it is on the day of a record: until the end of May Fen is the first entry, from June on the second. */
function askedByDay(fields: object[]) {
  const dated = { ...SITES, columns: [...SITES.columns, "since", "until"], since: "since", until: "until" };
  const entries = SITES.entries.map((e, i) => [...e, i === 0 ? "" : "2026-06-01", i === 0 ? "2026-05-31" : ""]);
  const by = [{ field: "site", column: "name" }];
  const lookup = [{ name: "s", list: "sites", how: "exact", on: "day", by, bring: { kind: "kind" } }];
  return compilePlan(planOf(fields, { lookup }), new Map([["sites", { ...dated, entries }]]));
}

describe("a look-up that does not find one entry", () => {
  const plan = (more: object) =>
    planOf([text("site"), text("kind", { required: true })], {
      lookup: [
        {
          name: "s",
          list: "sites",
          how: "exact",
          by: [{ field: "site", column: "name" }],
          bring: { kind: "kind" },
          ...more,
        },
      ],
    });
  const asked = (more: object, site: string) => {
    const compiled = compilePlan(plan(more), new Map([["sites", SITES]]));
    const sifted = siftRows(compiled, ["site", "kind"], [[site, ""]]);
    return {
      verdict: sifted.verdict[0],
      problems: problemsOf(sifted, compiled, 0).map((p) => p.message),
      faulty: [...sifted.tally.faulty],
    };
  };

  it("has a policy for none and one for several", () => {
    expect(asked({ none: "hold", several: "pass" }, "Moor").verdict).toBe(VERDICT.unmatched);
    // What passes the look-up is still held where a field that must be filled is not.
    expect(asked({ none: "hold", several: "pass" }, "Fen").verdict).toBe(VERDICT.held);
    expect(asked({ none: "pass", several: "hold" }, "Fen").verdict).toBe(VERDICT.unmatched);
    expect(asked({ none: "pass", several: "hold" }, "Moor").verdict).toBe(VERDICT.held);
  });

  it("is told of once where it holds the record, and beside what is empty where it is only noted", () => {
    expect(asked({ none: "hold" }, "Moor").problems).toEqual(["site “Moor” is not in the list sites."]);
    expect(asked({ none: "note" }, "Moor").problems).toEqual([
      "site “Moor” is not in the list sites.",
      "kind is empty.",
    ]);
    expect(asked({ none: "hold" }, "Hill")).toMatchObject({ verdict: VERDICT.passes, problems: [], faulty: [0, 0] });
  });

  it("is asked as the list is on the day that the record says", () => {
    const compiled = askedByDay([text("site"), text("kind"), { name: "day", type: "date" }]);
    const rows = ["2026-05-31", "2026-06-01", ""].map((day) => ["Fen", "", day]);
    const sifted = siftRows(compiled, ["site", "kind", "day"], rows);
    expect(rows.map((_, r) => fieldValues(sifted, r)[1])).toEqual(["wet", "dry", ""]);
    expect([...sifted.verdict]).toEqual([VERDICT.passes, VERDICT.passes, VERDICT.unmatched]);
  });

  it("does not count what it brings as changed where that stood there", () => {
    const compiled = compilePlan(plan({ none: "pass" }), new Map([["sites", SITES]]));
    const sifted = siftRows(
      compiled,
      ["site", "kind"],
      [
        ["Hill", "dry"],
        ["Hill", "wet"],
      ],
    );
    expect([...sifted.tally.changed]).toEqual([0, 1]);
    expect(fieldValues(sifted, 1)).toEqual(["Hill", "dry"]);
  });

  it("leaves a record that is held already as it is", () => {
    const held = planOf([text("site"), { name: "n", type: "integer" }], {
      lookup: [{ name: "s", list: "sites", how: "exact", by: [{ field: "site", column: "name" }], bring: {} }],
    });
    const compiled = compilePlan(held, new Map([["sites", SITES]]));
    const sifted = siftRows(
      compiled,
      ["site", "n"],
      [
        ["Moor", "x"],
        ["Moor", "1"],
      ],
    );
    expect([...sifted.verdict]).toEqual([VERDICT.held, VERDICT.unmatched]);
  });

  it("by ranges has no several: of ranges that overlap, one is taken or none", () => {
    const compiled = (how: object) =>
      compilePlan(
        planOf([text("n"), text("kind")], { lookup: [{ name: "s", list: "sites", bring: { kind: "kind" }, ...how }] }),
        new Map([["sites", SITES]]),
      );
    const ranges = compiled({ how: "range", field: "n", from: "from", to: "to" });
    const exact = compiled({ how: "exact", by: [{ field: "n", column: "name" }] });
    const ofLookUp = (c: ReturnType<typeof compilePlan>) => c.checks.filter((k) => k.kind === "look-up").length;
    expect([ofLookUp(ranges), ofLookUp(exact)]).toEqual([1, 2]);
    const sifted = siftRows(ranges, ["n", "kind"], [["150", ""]]);
    expect(fieldValues(sifted, 0)).toEqual(["150", "dry"]);
  });
});

describe("cells that are faulty", () => {
  it("are counted where they are filled", () => {
    const plan = planOf([text("a", { length: 2, on_failure: "note" }), { name: "n", type: "integer" }]);
    const sifted = siftRows(
      compilePlan(plan),
      ["a", "n"],
      [
        ["abc", "x"],
        ["ab", "1"],
        ["", ""],
        ["abcd", "2"],
      ],
    );
    expect([...sifted.tally.filled]).toEqual([3, 3]);
    expect([...sifted.tally.faulty]).toEqual([2, 1]);
  });
});

describe("the last line of a file", () => {
  const doubts = async (...lines: string[][]) => {
    const file = csv(csvRow(["a", "b", "c"]) + lines.map((l) => csvRow(l)).join(""));
    const { report } = await siftAll(planOf([text("a"), text("b"), text("c")]), [file]);
    return report.files[0]!.doubts?.map((d) => d.setting) ?? [];
  };
  const full = [
    ["Salix", "elm", "1"],
    ["Carex", "ash", "2"],
  ];

  it("of words alone is doubted where each record before it has three cells and more filled", async () => {
    expect(await doubts(...full, ["Kind regards, the garden", "", ""])).toEqual(["skip_end"]);
    expect(await doubts(...full, ["Betula", " ", ""], ["Kind regards, the garden", "", ""])).toEqual([]);
    expect(await doubts(["Kind regards, the garden", "", ""])).toEqual([]);
  });

  it("is held against twenty records before it, however far back others are", async () => {
    const sparse = [["Betula", "", ""]];
    const twenty = Array.from({ length: 20 }, (_, i) => ["Salix", "elm", String(i)]);
    expect(await doubts(...sparse, ...twenty, ["Kind regards, the garden", "", ""])).toEqual(["skip_end"]);
    expect(await doubts(...sparse, ...twenty.slice(1), ["Kind regards, the garden", "", ""])).toEqual([]);
  });
});

describe("a file that can't be read", () => {
  const message = async (name: string, as: string, bytes: Uint8Array) =>
    await siftAll(planOf([text("a")], { read: { as } }), [{ name, bytes }]).then(
      () => "",
      (error: Error) => error.message,
    );

  it("is named once", async () => {
    const other = await message("march.csv", "delimited", new TextEncoder().encode("x,y\n1,2\n"));
    expect(other).toBe("No column of march.csv is a field of the plan.");
    // A message that has the name in it already is left as it is; another gets it in front.
    const xml = await message("march.xml", "xml", new TextEncoder().encode("<r><x><a>1</a></x><x><a>2</a></x><x></r>"));
    expect(xml).toBe("march.xml: The XML breaks off or can't be understood.");
  });
});

describe("a check that is switched off for one load", () => {
  const fields = [text("a", { required: true }), text("b", { required: true })];
  const off = (...keys: string[]) =>
    compilePlan(planOf(fields, { load: { target: "x", key: ["a"] } }), undefined, {
      off: Object.fromEntries(keys.map((k) => [k, "not today"])),
    });

  it("that a field is filled lets the target take empty ones, but never the key's", () => {
    const policies = (c: ReturnType<typeof compilePlan>) => c.plan.contract.fields.map((f) => f.on_failure);
    const none = off();
    const b = off("b:required");
    expect(policies(b)[0]).toEqual(policies(none)[0]);
    expect(policies(b)[1]).toMatchObject({ required: "note" });
    expect(policies(off("a:required"))).toEqual(policies(none));
    const sifted = siftRows(
      b,
      ["a", "b"],
      [
        ["x", ""],
        ["", "y"],
      ],
    );
    expect([...sifted.verdict.slice(0, 2)]).toEqual([VERDICT.passes, VERDICT.held]);
  });
});

describe("checks between records", () => {
  it("count moments in seconds and less, and days as days", async () => {
    const between = (type: string, rows: string[][]) =>
      siftAll(
        planOf([text("k"), { name: "from", type }, { name: "to", type }], {
          check: [{ check: "no overlaps", from: "from", to: "to", by: ["k"] }],
        }),
        [csv(csvRow(["k", "from", "to"]) + rows.map((r) => csvRow(r)).join(""))],
      ).then((s) => s.records.map((r) => r.repeats.length));
    const moments = [
      ["x", "2026-01-01T10:00:00Z", "2026-01-01T11:00:00Z"],
      ["x", "2026-01-01T10:59:59Z", "2026-01-01T12:00:00Z"],
      ["x", "2026-01-01T12:00:01Z", "2026-01-01T13:00:00Z"],
    ];
    expect(await between("timestamp", moments)).toEqual([0, 1, 0]);
    const days = [
      ["x", "2026-01-01", "2026-01-31"],
      ["x", "2026-01-31", "2026-02-28"],
      ["x", "2026-03-01", "2026-03-31"],
    ];
    expect(await between("date", days)).toEqual([0, 1, 0]);
  });
});

describe("no record at all", () => {
  it("takes the course as any number of them does", () => {
    const compiled = compilePlan(
      planOf([{ name: "a", type: "integer", required: true }], { cleanse: [{ do: "trim", in: "*" }] }),
    );
    const sifted = siftRows(compiled, ["a"], []);
    expect(sifted.tally).toMatchObject({ read: 0, held: 0, filled: [0] });
    expect(siftRows(compiled, ["a"], [[" 7 "]]).cells).toHaveLength(1);
  });
});

describe("what a course counts of a block", () => {
  it("is how many records it has, and how many of them are held", () => {
    const compiled = compilePlan(planOf([text("a"), { name: "n", type: "integer" }]));
    const sifted = siftRows(
      compiled,
      ["a", "n"],
      [
        ["x", "1"],
        ["y", "no"],
        ["z", "2"],
      ],
    );
    expect(sifted.tally).toMatchObject({ read: 3, unreadable: 0, held: 1 });
  });

  it("is how many of the first fields of a record stand in its text as they were read", async () => {
    const untouched = async (head: string, lines: string[]): Promise<number[]> => {
      const plan = planOf([text("a"), text("b"), { name: "n", type: "integer" }], {
        cleanse: [{ do: "trim", in: ["b"] }],
      });
      const course = new Course(compilePlan(plan), { spill: new MemorySpill(), expected: 10, distinct: false });
      const found: number[] = [];
      const source = sourceOf(csv(`${head}\n${lines.join("\n")}\n`));
      for await (const sifted of siftFile(course, source, 0, plan.read, noSpool)) found.push(...sifted.untouched);
      return found;
    };
    expect(await untouched("a,b,n", ["x,y,1", "x, y,1", '"x",y,1', "x,y,no"])).toEqual([3, 1, 0, 2]);
    expect(await untouched("a,b,other,n", ["x,y,z,1"])).toEqual([2]);
    expect(await untouched("b,a,n", ["x,y,1"])).toEqual([0]);
  });

  it("is told in the words of its check, with the record's own values", () => {
    const check = { name: "same", that: "a == b", message: "{a} is not {b}" };
    const compiled = compilePlan(planOf([text("a"), text("b")], { check: [check] }));
    const sifted = siftRows(compiled, ["a", "b"], [["x", "y"]]);
    expect(problemsOf(sifted, compiled, 0)[0]!.message).toBe("x is not y");
  });
});

/** Takes a file through a plan's course, block by block; gives what was said of each record, and of the file. */
async function through(plan: ReturnType<typeof planOf>, ...files: { name: string; bytes: Uint8Array }[]) {
  const course = new Course(compilePlan(plan), { spill: new MemorySpill(), expected: 10, distinct: false });
  const verdicts: number[] = [];
  const facts: FileFacts[] = [];
  for (const [i, file] of files.entries()) {
    const blocks = siftFile(course, sourceOf(file), i, plan.read, noSpool);
    for (let next = await blocks.next(); ; next = await blocks.next()) {
      if (next.done) {
        facts.push(...next.value);
        break;
      }
      verdicts.push(...next.value.verdict.slice(0, next.value.block.count));
    }
  }
  return { course, verdicts, facts };
}

describe("what stands with a record or a file", () => {
  it("is the number of the step that left a record out, from 1", () => {
    const cleanse = [
      { do: "trim", in: ["a"] },
      { do: "leave-out", in: ["a"], when: 'a == "x"' },
    ];
    const sifted = siftRows(compilePlan(planOf([text("a")], { cleanse })), ["a"], [[" x"], ["y"]]);
    expect([...sifted.leftOutBy]).toEqual([2, 0]);
  });

  it("is how many records could not be read, for each reason", async () => {
    const { facts } = await through(planOf([text("a"), text("b")]), csv("a,b\n1,2\n1,2,3\n1\n1,2,3,4\n1,2\n"));
    expect(facts[0]).toMatchObject({ records: 5, unreadable: { "too-many-cells": 2, "too-few-cells": 1 } });
  });

  it("is the beginning of a side file, however long it is and in whatever pieces it comes", async () => {
    const gate = { limit: "control totals", in: "side file", name: "*.ctl", find: "n=(?P<n>\\d+)", records: "n" };
    const long = { name: "x.ctl", bytes: new TextEncoder().encode(`n=1 ${"x".repeat(70_000)}`) };
    const { course } = await through(planOf([text("a")], { gates: [gate] }), long);
    expect(course.controls.map((c) => [c.name, c.text.length])).toEqual([["x.ctl", 65_536]]);
  });

  it("is a suspicion where a value may have come before and the record would be held for it", async () => {
    const unique = (on_failure: string) => planOf([text("id", { unique: true, on_failure })]);
    const file = csv("id\na\nb\na\n");
    const { passes, suspect } = VERDICT;
    expect((await through(unique("hold"), file)).verdicts).toEqual([passes, passes, suspect]);
    expect((await through(unique("note"), file)).verdicts).toEqual([passes, passes, passes]);
    const failed = planOf([text("id", { unique: true }), { name: "n", type: "integer" }]);
    expect((await through(failed, csv("id,n\na,1\na,x\na,2\n"))).verdicts).toEqual([passes, VERDICT.held, suspect]);
  });

  it("is the day by which a list is asked, wherever its field stands", () => {
    const compiled = askedByDay([{ name: "day", type: "date" }, text("site"), text("kind")]);
    const sifted = siftRows(
      compiled,
      ["day", "site", "kind"],
      [
        ["2026-05-31", "Fen", ""],
        ["2026-06-01", "Fen", ""],
      ],
    );
    expect([0, 1].map((r) => fieldValues(sifted, r)[2])).toEqual(["wet", "dry"]);
  });
});

describe("a check as it is compiled", () => {
  const lookUp = (none: string, several: string) => ({
    lookup: [{ name: "s", list: "sites", how: "exact", by: [{ field: "site", column: "name" }], none, several }],
  });
  const checksOf = (fields: object[], more: object) =>
    compilePlan(planOf(fields, { ...more }), new Map([["sites", SITES]])).checks;

  it("notes what a look-up lets pass or proposes", () => {
    const policies = (none: string, several: string) =>
      checksOf([text("site")], lookUp(none, several)).flatMap((c) => (c.kind === "look-up" ? [c.onFailure] : []));
    expect(policies("pass", "hold")).toEqual(["note", "hold"]);
    expect(policies("hold", "note")).toEqual(["hold", "note"]);
    expect(policies("propose", "pass")).toEqual(["note", "note"]);
  });

  it("that is of values given once is called by its field, or by all of them", () => {
    const titles = checksOf([text("a", { unique: true }), text("b")], { check: [{ check: "unique", in: ["a", "b"] }] })
      .filter((c) => c.kind === "unique")
      .map((c) => c.title);
    expect(titles).toEqual(["a is given once", "a and b together are given once"]);
  });

  it("can't be switched off where it is a look-up's", () => {
    const plan = planOf([text("site")], lookUp("hold", "hold"));
    const compiled = compilePlan(plan, new Map([["sites", SITES]]));
    expect(compiled.checks.filter((c) => c.kind === "look-up").map((c) => canSwitchOff(plan, c))).toEqual([
      false,
      false,
    ]);
  });

  it("tells of a value that no map makes by the map, whatever steps stand before it", () => {
    const cleanse = [
      { do: "trim", in: ["a"] },
      { do: "value-map", in: ["a"], to: { "1": ["one"] }, unknown: "hold" },
    ];
    const compiled = compilePlan(planOf([text("a")], { cleanse }));
    const sifted = siftRows(compiled, ["a"], [["one"], ["two "]]);
    expect([...sifted.verdict]).toEqual([VERDICT.passes, VERDICT.held]);
    expect(problemsOf(sifted, compiled, 1).map((p) => p.message)).toEqual(["a “two” is not in its value map."]);
  });
});
