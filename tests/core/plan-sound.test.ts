import { describe, expect, it } from "vitest";
import type { SieveError } from "@/core/kernel/problem.ts";
import { removeField, renameField } from "@/core/plan/edit.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { fieldsGoingOut, targetFields } from "@/core/plan/target-fields.ts";
import { formulasOf, listsInFormulas, listsOf, usedIn, usesOfFormula, usesOfList } from "@/core/plan/uses.ts";

const FIELDS = [
  { name: "id", type: "integer", required: true },
  { name: "site", type: "text" },
  { name: "kind", type: "text", required: true },
  { name: "seen", type: "date" },
  { name: "n", type: "integer" },
  { name: "tags", type: "list" },
];
const base = {
  format: "good-sieve/plan@1",
  feed: "things",
  contract: { fields: FIELDS },
  load: { target: "thing", key: ["id"] },
  gates: [],
};
const upsert = { target: "thing", key: ["id"], mode: "upsert" };
const compared = { fields: [{ in: ["site"], by: "equal" }] };
const lookUp = {
  name: "place",
  list: "places",
  by: [{ field: "site", column: "site" }],
  how: "exact",
  bring: { kind: "kind" },
};

/** What is said of a plan that is refused; nothing of one that is not. */
function refusal(more: object): string {
  try {
    parsePlan({ ...base, ...more });
    return "";
  } catch (error) {
    return (error as SieveError).detail;
  }
}

describe("a plan that can't be meant is refused, with the place and the reason", () => {
  it.each<[string, object]>([
    ["contract.fields.1.name: Two fields are called id.", { contract: { fields: [FIELDS[0], FIELDS[0]] } }],
    ["sender_field: There is no field whom.", { sender_field: "whom" }],
    [
      "parameters.1.name: Two parameters are called since.",
      { parameters: [0, 1].map(() => ({ name: "since", type: "text", default: "" })) },
    ],
    ["parameters.0: it means something else already.", { parameters: [{ name: "it", type: "text", default: "" }] }],
    ["parameters.0: size is a function of formulas", { parameters: [{ name: "size", type: "text", default: "" }] }],
    ["parameters.0: “x” is not a whole number", { parameters: [{ name: "fewest", type: "integer", default: "x" }] }],
    ["formulas.half: ", { formulas: { half: { parameters: [], body: "1 +" } } }],
    ["cleanse.0.in: There is no field nowhere.", { cleanse: [{ do: "trim", in: ["nowhere"] }] }],
    [
      "cleanse.0.unknown: A value that becomes empty can't be told of any more: let it stay.",
      { cleanse: [{ do: "value-map", in: ["site"], to: { a: ["b"] }, otherwise: "empty", unknown: "note" }] },
    ],
    [
      "load.further.0.indexes: There is no column n.",
      { load: { ...upsert, further: [{ target: "b", key: ["id"], fields: [{ name: "id" }], indexes: [["n"]] }] } },
    ],
    [
      "load.further.0.defaults: “x” is not a whole number, which n has to be.",
      { load: { ...upsert, further: [{ target: "b", key: ["id"], defaults: { n: "x" } }] } },
    ],
    [
      "load.further.0.indexes: The indexes of a table that was there before",
      { load: { ...upsert, further: [{ target: "b", schema: "s", key: ["id"], indexes: [["n"]] }] } },
    ],
    [
      "load.further.0.fields: thing has no column n: the plan leaves it out.",
      {
        load: {
          ...upsert,
          without: ["n"],
          further: [
            {
              target: "b",
              key: ["id"],
              fields: [{ name: "id" }, { name: "n", handed: { target: "thing", column: "n" } }],
            },
          ],
        },
      },
    ],
    ["load.without: There is no field nowhere.", { load: { ...upsert, without: ["nowhere"] } }],
    ["load.without: A field is named once.", { load: { ...upsert, without: ["n", "n"] } }],
    ["load.without: The target needs a field", { load: { target: "t", without: FIELDS.map((f) => f.name) } }],
    ["load.without: Where records are matched", { load: { ...upsert, without: ["n"] }, match: compared }],
    ["load.without: id is of the key, so the target needs it.", { load: { ...upsert, without: ["n", "id"] } }],
    ["load.without: n is indexed", { load: { ...upsert, without: ["n"], indexes: [["site", "n"]] } }],
    ["load.without: n is given a default", { load: { ...upsert, without: ["n"], defaults: { n: "1" } } }],
    ["load.without: n is said to arrive", { load: { ...upsert, without: ["n"], arriving: { n: { value: "fill" } } } }],
    [
      "load.without: site is what says which rows are replaced",
      { load: { target: "thing", key: ["id"], mode: "replace", slice: "site", without: ["site"] } },
    ],
    [
      "load.without: site is what says which rows have gone",
      { load: { ...upsert, gone: { do: "remove", within: ["site"] }, without: ["site"] } },
    ],
    [
      "load.without: n is what a parent in the target is known by",
      {
        load: { ...upsert, without: ["n"] },
        check: [{ check: "has parent", fields: ["id"], of: ["n"], target: true }],
      },
    ],
    ["check.0.in: There is no field nowhere.", { check: [{ check: "unique", in: ["site", "nowhere"] }] }],
    ["check.0.that: The formula must be true or false.", { check: [{ name: "odd", that: "n + 1" }] }],
    ["check.1.name: Two checks are called odd.", { check: [1, 2].map((n) => ({ name: "odd", that: `n == ${n}` })) }],
    ["lookup.1.name: Two look-ups are called place.", { lookup: [lookUp, { ...lookUp, bring: { tags: "tag" } }] }],
    [
      "lookup.0.bring: The look-up asks by site, which it can't fill as well.",
      { lookup: [{ ...lookUp, bring: { kind: "kind", site: "name" } }] },
    ],
    ["lookup.1.bring: kind is filled by another look-up already.", { lookup: [lookUp, { ...lookUp, name: "other" }] }],
    ["lookup.0: There is no field nowhere.", { lookup: [{ ...lookUp, bring: { nowhere: "kind" } }] }],
    ["match.list: Which reference list is to be said.", { match: { ...compared, against: ["list"] } }],
    ["match.fields.0.in: There is no field nowhere.", { match: { fields: [{ in: ["nowhere"], by: "equal" }] } }],
    ["match.recent: There is no field nowhere.", { match: { ...compared, recent: "nowhere" } }],
    ["match.keep: There is no field nowhere.", { match: { ...compared, keep: { nowhere: "longest" } } }],
    ["match.keep: The rule trusted needs trust to be said.", { match: { ...compared, keep: { site: "trusted" } } }],
    [
      "match.rank: The rank of records can't ask a list.",
      { match: { ...compared, rank: "inList('places', site) ? 1 : 0" } },
    ],
    [
      "match.score_in: seen can't hold a score: it must be a number or a text.",
      { match: { ...compared, score_in: "seen" } },
    ],
    ["match.lead_in: id is of the key, which a match never changes.", { match: { ...compared, lead_in: "id" } }],
    [
      "match.lead_in: site is compared, so the match can't fill it as well.",
      { match: { ...compared, lead_in: "site" } },
    ],
    ["load.key: There is no field nowhere.", { load: { target: "thing", key: ["nowhere"] } }],
    [
      "load.mode: A table that was there before is not emptied",
      { load: { target: "thing", schema: "others", mode: "replace" } },
    ],
    ["load.indexes: Two indexes are the same.", { load: { ...upsert, indexes: [["site"], ["site"]] } }],
    ["load.indexes: An index has a field once.", { load: { ...upsert, indexes: [["site", "site"]] } }],
    ["load.indexes.0: There is no field nowhere.", { load: { ...upsert, indexes: [["nowhere"]] } }],
    [
      "load.indexes: The indexes of a table that was there before",
      { load: { ...upsert, schema: "others", indexes: [["site"]] } },
    ],
    ["load.defaults: “x” is not a whole number, which n has to be.", { load: { ...upsert, defaults: { n: "x" } } }],
    ["load.defaults: There is no field nowhere.", { load: { ...upsert, defaults: { nowhere: "x" } } }],
    [
      "load.defaults: The defaults of a table that was",
      { load: { ...upsert, schema: "others", defaults: { n: "1" } } },
    ],
    ["load.key: Upsert needs a key, or the whole record as its key.", { load: { target: "thing", mode: "upsert" } }],
    ["load.whole_record: The whole record can be the key", { load: { ...upsert, whole_record: true } }],
    [
      "load.only: Inserting alone, or updating alone, is of an upsert by a key.",
      { load: { target: "thing", key: ["id"], only: "insert" } },
    ],
    ["load.only: Where records are matched", { load: { ...upsert, only: "insert" }, match: compared }],
    ["load.arriving: id is of the key", { load: { ...upsert, arriving: { id: { leave: ["-"] } } } }],
    ["load.arriving: kind must not be empty", { load: { ...upsert, arriving: { kind: { leave: ["-"] } } } }],
    [
      "load.gone.do: Which rows no longer come can be told of an upsert by a key alone.",
      { load: { target: "thing", key: ["id"], gone: { do: "remove" } } },
    ],
    [
      "load.gone.do: Rows that are there stay as they are",
      { load: { ...upsert, only: "insert", gone: { do: "remove" } } },
    ],
    ["load.gone.do: Where records are matched", { load: { ...upsert, gone: { do: "remove" } }, match: compared }],
    ["load.gone.field: site must be of the type date", { load: { ...upsert, gone: { do: "mark", field: "site" } } }],
    ["load.gone.field: kind must not be required", { load: { ...upsert, gone: { do: "mark", field: "kind" } } }],
    [
      "load.gone.field: id is of the key, which never changes.",
      { load: { ...upsert, gone: { do: "mark", field: "id" } } },
    ],
    [
      "load.gone.field: seen has a rule for arriving cells",
      { load: { ...upsert, gone: { do: "mark", field: "seen" }, arriving: { seen: { leave: ["-"] } } } },
    ],
    ["load.held_in: thing is a target, so it can't show what is held.", { load: { ...upsert, held_in: "thing" } }],
    [
      "load.numbered: Only a table that Good Sieve makes gets a column of numbers",
      { load: { ...upsert, numbered: "site" } },
    ],
    [
      "load.further: Where records are matched",
      { load: { ...upsert, further: [{ target: "site", fields: [{ name: "site" }] }] }, match: compared },
    ],
    [
      "load.further.0.each: site is no field of the type list.",
      {
        load: {
          ...upsert,
          further: [{ target: "tag", each: "site", fields: [{ name: "id" }, { name: "site" }] }],
        },
      },
    ],
    [
      "load.further.0.where: The formula must be true or false.",
      { load: { ...upsert, further: [{ target: "site", fields: [{ name: "site" }], where: "n + 1" }] } },
    ],
    [
      "load.taken_from.0: id is of the key, by which records are told apart before anything is handed on.",
      {
        load: {
          ...upsert,
          further: [{ target: "site", numbered: "no", fields: [{ name: "site" }] }],
          taken_from: [{ field: "id", from: { target: "site", column: "no" } }],
        },
      },
    ],
    [
      "load.taken_from.0: kind must not be required: it is handed on when all checks are made.",
      {
        load: {
          ...upsert,
          further: [{ target: "site", numbered: "no", fields: [{ name: "site" }] }],
          taken_from: [{ field: "kind", from: { target: "site", column: "no" } }],
        },
      },
    ],
    ["after.0: A feed can't be given its own records.", { after: [{ on: ["loaded"], do: "feed", feed: "things" }] }],
    [
      "after.0: An object storage needs a connection",
      { after: [{ on: ["loaded"], do: "put", as: "object storage", url: "http://127.0.0.1:1/x/", format: "csv" }] },
    ],
    [
      "after.0: A load that does not load has no transaction",
      { after: [{ on: ["failed"], do: "sql", within: true, connection: "other", sql: "select 1" }] },
    ],
  ])("%s", (words, more) => {
    expect(refusal(more)).toContain(words);
  });

  it.each<[string, object]>([
    ["another feed is given records", { after: [{ on: ["loaded"], do: "feed", feed: "others" }] }],
    [
      "a statement goes with the load",
      { after: [{ on: ["loaded"], do: "sql", within: true, connection: "other", sql: "select 1" }] },
    ],
    ["a rank asks no list", { match: { ...compared, rank: "n" } }],
    ["a score goes into a number, a lead into a text", { match: { ...compared, score_in: "n", lead_in: "kind" } }],
    ["what is held is shown beside the target", { load: { ...upsert, held_in: "thing_held" } }],
    ["two look-ups fill what is theirs", { lookup: [lookUp, { ...lookUp, name: "other", bring: { tags: "tag" } }] }],
    ["rows that no longer come are marked", { load: { ...upsert, gone: { do: "mark", field: "seen" } } }],
    ["an index of two fields beside one of one", { load: { ...upsert, indexes: [["site"], ["site", "seen"]] } }],
    [
      "a unique check twice",
      {
        check: [
          { check: "unique", in: ["site", "seen"] },
          { check: "unique", in: ["site", "seen"] },
        ],
      },
    ],
    [
      "a map says so of what it does not know",
      { cleanse: [{ do: "value-map", in: ["site"], to: { a: ["b"] }, unknown: "note" }] },
    ],
  ])("and one that can is not: %s", (_, more) => {
    expect(refusal(more)).toBe("");
  });
});

describe("where a plan speaks of what", () => {
  const plan = parsePlan({
    ...base,
    sender_field: "kind",
    formulas: { known: { parameters: [{ name: "place", type: "text" }], body: "inList('places', place)" } },
    cleanse: [
      { do: "trim", in: ["site"] },
      { do: "leave-out", in: "*", when: "kind == 'x' && inList('closed', site)" },
    ],
    check: [
      { name: "is known", in: ["site"], that: "known(it)", message: "{site} of {kind} is not known" },
      { name: "was seen", that: "seen >= date(2020, 1, 1)" },
      { check: "unique", in: ["site", "seen"] },
    ],
    lookup: [{ ...lookUp, bring: { tags: "tags" } }],
    match: {
      ...compared,
      rank: "n",
      recent: "seen",
      trust: { field: "kind", order: ["a"] },
      keep: { kind: "trusted" },
      score_in: "n",
      against: ["delivery", "list"],
      list: { name: "registry" },
    },
    load: { ...upsert, indexes: [["seen"]], arriving: { n: { leave: ["-"] } } },
    gates: [{ limit: "empty share", field: "site", over: 0.5 }],
    after: [{ on: ["loaded"], do: "file", folder: "out", format: "csv", partition: "seen:month" }],
  });
  const split = parsePlan({
    ...base,
    load: {
      ...upsert,
      further: [{ target: "site", mode: "append", fields: [{ name: "site" }], where: "inList('open', site)" }],
    },
  });

  it("is told of every field, in the order of the course", () => {
    const told = (name: string) => usedIn(plan, name).map(({ stage, says }) => `${stage}: ${says}`);
    expect(told("site")).toEqual([
      "Cleanse: step 1, trim the ends",
      "Cleanse: step 2, leave records out, in its formula",
      "Check: is known",
      "Check: unique over site and seen",
      "Check: in the words of is known",
      "Look up: place is looked up by it",
      "Match: compared",
      "Load: the gate on its empty share",
      "Load: target.thing.site",
    ]);
    expect(told("kind")).toEqual([
      "Read: says whose a record is",
      "Cleanse: step 2, leave records out, in its formula",
      "Check: in the words of is known",
      "Match: says whom to trust",
      "Match: of the kept record: trusted",
      "Load: target.thing.kind",
    ]);
    expect(told("seen")).toEqual([
      "Check: was seen",
      "Check: unique over site and seen",
      "Match: says which record is the more recent",
      "Load: in an index of the target",
      "Load: folders of files after a load",
      "Load: target.thing.seen",
    ]);
    expect(told("n")).toEqual([
      "Match: filled by the match",
      "Match: in the formula that ranks records",
      "Load: what its arriving cells do",
      "Load: target.thing.n",
    ]);
    expect(told("tags")).toEqual(["Look up: filled by place", "Load: target.thing.tags"]);
    expect(told("id")).toEqual(["Load: the key", "Load: target.thing.id"]);
  });

  it("is told of every formula, and of the lists that formulas ask, through others too", () => {
    expect(formulasOf(plan)).toEqual([
      {
        source: "kind == 'x' && inList('closed', site)",
        use: { stage: "Cleanse", says: "step 2, leave records out, all fields" },
      },
      { source: "n", use: { stage: "Match", says: "the rank of records" } },
      { source: "known(it)", use: { stage: "Check", says: "is known, site" } },
      { source: "seen >= date(2020, 1, 1)", use: { stage: "Check", says: "was seen" } },
    ]);
    expect(formulasOf(split)).toEqual([
      { source: "inList('open', site)", use: { stage: "Load", says: "what goes to site" } },
    ]);
    expect(usesOfFormula(plan, "known")).toEqual([{ stage: "Check", says: "is known, site" }]);
    expect(listsInFormulas(plan)).toEqual(["closed", "places"]);
    expect(listsOf(plan)).toEqual(["places", "closed", "registry"]);
    expect(listsOf(split)).toEqual(["open"]);
    expect(usesOfList(plan, "places")).toEqual([{ stage: "Check", says: "is known, site" }]);
    expect(usesOfList(plan, "registry")).toEqual([{ stage: "Match", says: "records are compared with it" }]);
  });

  it("leaves out lists that are files of the delivery", () => {
    const withFile = parsePlan({
      ...base,
      lookup: [{ ...lookUp, bring: { tags: "tags" }, file: "*places*" }],
      check: [{ name: "known", that: "inList('places', site)" }],
    });
    expect(listsOf(withFile)).toEqual([]);
    expect(listsInFormulas(withFile)).toEqual(["places"]);
  });
});

describe("a field that the target has no column of", () => {
  const plan = parsePlan({ ...base, load: { ...upsert, without: ["n", "site"] } });
  it("is none of the target's, and one of all others", () => {
    expect(targetFields(plan).map((f) => f.name)).toEqual(["id", "kind", "seen", "tags"]);
    expect(fieldsGoingOut("rows", plan)).toEqual(targetFields(plan));
    expect(fieldsGoingOut("accepted", plan)).toEqual(plan.contract.fields);
    expect(usedIn(plan, "n").map((u) => u.says)).toContain("not in the target");
    expect(usedIn(plan, "kind").map((u) => u.says)).toContain("target.thing.kind");
  });

  it("goes from the indexes and defaults of further targets with its column", () => {
    const b = { target: "b", key: ["id"], indexes: [["n"], ["site"]], defaults: { n: "1" } };
    const of = (name: string) =>
      removeField(parsePlan({ ...base, load: { ...upsert, further: [b] } }), name).load.further;
    expect(of("n")).toMatchObject([{ target: "b", indexes: [["site"]] }]);
    expect(of("n")![0]).not.toHaveProperty("defaults");
    expect(of("kind")).toMatchObject([{ indexes: [["n"], ["site"]], defaults: { n: "1" } }]);
  });

  it("is followed when it is called otherwise, and goes from the plan with its last mention", () => {
    const renamed = renameField(plan, "n", "count");
    expect(renamed.load.without).toEqual(["count", "site"]);
    const less = removeField(plan, "n");
    expect(less.load.without).toEqual(["site"]);
    expect(removeField(less, "site").load).not.toHaveProperty("without");
  });
});
