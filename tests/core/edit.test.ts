import { describe, expect, it } from "vitest";
import { namesIn, renameInFormula } from "@/core/formula/names.ts";
import { withContract } from "@/core/interop/contract.ts";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { planOf } from "../support/plans.ts";
import { usedIn } from "@/core/plan/uses.ts";
import { BYTE, heldByte, transitions } from "@/core/kernel/ledger.ts";
import { goesInto, originsOf, reach } from "@/core/plan/lineage.ts";
import { parsePlan } from "@/core/plan/schema.ts";

const plan = parsePlan({
  format: "good-sieve/plan@1",
  feed: "x",
  contract: { fields: ["a", "b", "c"].map((name) => ({ name, type: "text" })) },
  cleanse: [
    { do: "trim", in: "*" },
    { do: "case", to: "upper", in: ["a", "b"] },
    { do: "join", in: ["c"], from: ["a", "b"], with: " " },
    { do: "derive", in: ["c"], by: "a + 'a' + lower(b)" },
  ],
  check: [
    { check: "unique", in: ["a", "b"] },
    { name: "told apart", that: "it != a", in: ["b", "c"] },
  ],
  load: { target: "x", key: ["a"] },
});

describe("defaults of columns", () => {
  const plan = planOf(
    [
      { name: "a", type: "text" },
      { name: "b", type: "text" },
    ],
    {
      load: { target: "thing", defaults: { a: "x", b: "y" } },
    },
  );

  it("follow their fields, and go with them", () => {
    expect(renameField(plan, "a", "c").load.defaults).toEqual({ c: "x", b: "y" });
    expect(removeField(plan, "a").load.defaults).toEqual({ b: "y" });
    expect(removeField(removeField(plan, "a"), "b").load).not.toHaveProperty("defaults");
  });
});

describe("a step that leaves records out", () => {
  it("stays without the field that it was given, as its formula alone says which", () => {
    const step = { do: "leave-out", in: ["a"], when: "b == 'x'" };
    const plan = planOf(
      [
        { name: "a", type: "text" },
        { name: "b", type: "text" },
      ],
      { cleanse: [step] },
    );
    expect(removeField(plan, "a").cleanse).toEqual([{ ...step, in: "*" }]);
    expect(removeField(plan, "b").cleanse).toEqual([]);
    expect(removeField({ ...plan, cleanse: [{ do: "trim", in: ["a"] }] }, "a").cleanse).toEqual([]);
  });
});

describe("names in a formula", () => {
  it("are fields, and nothing else", () => {
    expect(namesIn("a + 'a' + lower(b.c) + a.size() // a")).toEqual(["a", "b"]);
    expect(renameInFormula("a + 'a' + a.a(a)", "a", "first")).toBe("first + 'a' + first.a(first)");
  });
});

describe("a field", () => {
  it("called otherwise is followed by steps, formulas, checks and key", () => {
    const renamed = parsePlan(renameField(plan, "a", "first"));
    expect(renamed.contract.fields[0]).toMatchObject({ name: "first", also: ["a"] });
    expect(renamed.cleanse[1]!.in).toEqual(["first", "b"]);
    expect(renamed.cleanse[2]!["from"]).toEqual(["first", "b"]);
    expect(renamed.cleanse[3]!["by"]).toBe("first + 'a' + lower(b)");
    expect(renamed.check).toMatchObject([{ in: ["first", "b"] }, { that: "it != first" }]);
    expect(renamed.load.key).toEqual(["first"]);
    expect(usedIn(renamed, "a")).toEqual([
      { stage: "Cleanse", says: "step 1, trim the ends" },
      { stage: "Load", says: "target.x.a" },
    ]);
  });

  it("called otherwise is followed into what is said to the sender, which says that it is used there", () => {
    const spoken = parsePlan({
      ...plan,
      check: [
        { name: "told apart", that: "it != a", in: ["b"], message: "{a} and {b} are one: {a}, {ab}." },
        { check: "has parent", fields: ["b"], of: ["c"], name: "known", message: "{a} is of {b}, which nobody knows." },
        { name: "silent", that: "b != c" },
      ],
    });
    const says = usedIn(spoken, "a").map((u) => u.says);
    expect(says).toEqual(expect.arrayContaining(["in the words of told apart", "in the words of known"]));
    expect(says).not.toContain("in the words of silent");
    const renamed = parsePlan(renameField(spoken, "a", "first"));
    expect(renamed.check.map((c) => ("message" in c ? c.message : undefined))).toEqual([
      "{first} and {b} are one: {first}, {ab}.",
      "{first} is of {b}, which nobody knows.",
      undefined,
    ]);
    expect(usedIn(renamed, "a").filter((u) => u.stage === "Check")).toEqual([]);
  });

  it("says where it is used", () => {
    expect(usedIn(plan, "a").map((u) => u.says)).toEqual([
      "step 1, trim the ends",
      "step 2, change case",
      "step 3, taken from it",
      "step 4, in its formula",
      "unique over a and b",
      "told apart",
      "the key",
      "target.x.a",
    ]);
  });

  it("says what it comes from, back to the columns, and what it goes into", () => {
    const own = parsePlan({
      ...plan,
      contract: {
        fields: [
          { name: "a", type: "text", title: "Number", also: ["acc"] },
          ...["b", "c", "d", "e"].map((name) => ({ name, type: "text" })),
          { name: "f", type: "text", also: ["@file"] },
        ],
      },
      cleanse: [...plan.cleanse, { do: "trim", in: ["a"], off: true }],
      lookup: [
        { how: "exact", name: "what", list: "things", by: [{ field: "c", column: "code" }], bring: { d: "name" } },
      ],
    });
    expect(originsOf(own, "c")).toEqual([
      { stage: "Map", says: "the column c, where there is one", from: [] },
      { stage: "Cleanse", says: "step 1, trim the ends in all fields", from: [] },
      { stage: "Cleanse", says: expect.stringContaining("step 3, "), from: ["a", "b"] },
      { stage: "Cleanse", says: expect.stringContaining("step 4, "), from: ["a", "b"] },
    ]);
    expect(originsOf(own, "d").at(-1)).toEqual({
      stage: "Look up",
      says: "name of the list things, by what",
      from: ["c"],
    });
    expect(originsOf(own, "a").map((o) => o.says)).toEqual([
      "the column a or Number or acc",
      "step 1, trim the ends in all fields",
      "step 2, upper case in a",
    ]);
    expect(originsOf(own, "f")[0]!.says).toBe("the column f or the file’s name");
    expect(reach(own, "d", "back").sort()).toEqual(["a", "b", "c"]);
    expect(reach(own, "a", "forward")).toEqual(["c", "d"]);
    expect([goesInto(own, "d"), reach(own, "e", "back"), originsOf(own, "none")]).toEqual([[], [], []]);
  });

  it("taken out takes what can't be without it", () => {
    const without = parsePlan(removeField(plan, "a"));
    expect(without.cleanse.map((s) => s.do)).toEqual(["trim", "case", "join"]);
    expect(without.cleanse[2]!["from"]).toEqual(["b"]);
    expect(without.check).toEqual([]);
    expect(without.load.key).toEqual([]);
  });
});

describe("a field that is looked up by and compared", () => {
  const asked = parsePlan({
    format: "good-sieve/plan@1",
    feed: "f",
    contract: { fields: ["a", "b", "c"].map((name) => ({ name, type: "text" })) },
    lookup: [
      { how: "exact", name: "x", list: "l", by: [{ field: "a", column: "k" }], bring: { b: "v" }, default: { b: "?" } },
    ],
    match: {
      fields: [
        { in: ["a", "c"], by: "person" },
        { in: ["b"], by: "words" },
      ],
      recent: "c",
      keep: { b: "longest", "*": "first" },
    },
    load: { target: "x" },
  });

  it("is followed when it is called otherwise", () => {
    const renamed = parsePlan(renameField(renameField(asked, "a", "first"), "b", "second"));
    expect(renamed.lookup![0]).toMatchObject({
      by: [{ field: "first" }],
      bring: { second: "v" },
      default: { second: "?" },
    });
    expect(renamed.match!.fields.map((f) => f.in)).toEqual([["first", "c"], ["second"]]);
    expect(renamed.match!.keep).toEqual({ second: "longest", "*": "first" });
    expect(usedIn(renamed, "second").map((u) => u.says)).toEqual([
      "filled by x",
      "compared",
      "of the kept record: longest",
      "target.x.second",
    ]);
  });

  it("takes with it what can't be without it, and leaves the rest", () => {
    const without = parsePlan(removeField(removeField(asked, "c"), "b"));
    expect(without.lookup![0]).toMatchObject({ bring: {}, default: {} });
    expect(without.match).toMatchObject({ fields: [{ in: ["a"] }], keep: { "*": "first" } });
    expect(without.match!.recent).toBeUndefined();
    const nothing = parsePlan(removeField(asked, "a"));
    expect(nothing.lookup).toBeUndefined();
    expect(nothing.match!.fields).toHaveLength(2);
  });
});

describe("what became of records in two ledgers", () => {
  it("is counted from outcome to outcome", () => {
    const bytes = (...outcomes: number[]): Uint8Array => Uint8Array.from(outcomes);
    const { inserted, unchanged, leftOut } = BYTE;
    expect(
      transitions(
        bytes(inserted, inserted, heldByte("read"), heldByte("check"), unchanged),
        bytes(inserted, heldByte("check"), heldByte("read"), inserted, leftOut),
      ),
    ).toEqual([
      { from: "inserted", to: "inserted", count: 1 },
      { from: "inserted", to: "held", count: 1 },
      { from: "unchanged", to: "left out", count: 1 },
      { from: "held", to: "inserted", count: 1 },
      { from: "held", to: "held", count: 1 },
    ]);
  });
});

describe("the indexes of a target", () => {
  const indexed = parsePlan({ ...plan, load: { target: "x", key: ["a"], indexes: [["b", "c"], ["c"]] } });

  it("follow a field's name, and go with a field of theirs", () => {
    expect(renameField(indexed, "c", "third").load.indexes).toEqual([["b", "third"], ["third"]]);
    expect(removeField(indexed, "b").load.indexes).toEqual([["c"]]);
    expect(removeField(indexed, "c").load).not.toHaveProperty("indexes");
    expect(usedIn(indexed, "b").map((u) => u.says)).toContain("in an index of the target");
    expect(usedIn(plan, "b").map((u) => u.says)).not.toContain("in an index of the target");
  });

  it("are over fields that there are, each once, of a table that Good Sieve makes", () => {
    const wrong = (indexes: string[][], more: object = {}) => {
      try {
        parsePlan({ ...plan, load: { target: "x", key: ["a"], indexes, ...more } });
        return "";
      } catch (error) {
        return (error as { detail: string }).detail;
      }
    };
    expect(wrong([["a", "b"]])).toBe("");
    expect(wrong([["z"]])).toContain("There is no field z.");
    expect(wrong([["b"], ["b"]])).toContain("Two indexes are the same.");
    expect(wrong([["b", "b"]])).toContain("An index has a field once.");
    expect(wrong([["b"]], { schema: "public" })).toContain("for its owner to make");
    const taken = withContract(
      indexed,
      { fields: [...plan.contract.fields], key: ["a"], lost: [] },
      { schema: "public" },
    );
    expect(taken.load).toMatchObject({ schema: "public" });
    expect(taken.load).not.toHaveProperty("indexes");
  });
});
