import { readFileSync } from "node:fs";
import { checksPage, formulasPage, matchingPage, stepsPage, typesPage } from "@/core/docs/parts.ts";
import { describe, expect, it } from "vitest";
import { compilePlan } from "@/core/course/compile.ts";
import { policyOf } from "@/core/course/checks.ts";
import { faultTitle } from "@/core/course/problem-words.ts";
import { parsePlan, planJsonSchema } from "@/core/plan/schema.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { mapColumns, plainName } from "@/core/map/columns.ts";
import { ACCESSIONS } from "../../demo/plan.ts";
import { planOf } from "../support/plans.ts";

const faults = (document: unknown): string => {
  try {
    parsePlan(document);
    return "";
  } catch (error) {
    expect(error).toBeInstanceOf(SieveError);
    return (error as SieveError).detail;
  }
};
const base = { format: "good-sieve/plan@1", feed: "f", load: { target: "t" } };
const withField = (field: object): object => ({ ...base, contract: { fields: [field] } });

describe("the plan document", () => {
  it("is described by the published JSON Schema", () => {
    // Formatted after they are written, so spaces don't count.
    const plain = (text: string): string => text.replace(/[\s|-]+/g, "");
    expect(plain(readFileSync("docs/formulas.md", "utf8"))).toBe(plain(formulasPage()));
    expect(plain(readFileSync("docs/types.md", "utf8"))).toBe(plain(typesPage()));
    expect(plain(readFileSync("docs/steps.md", "utf8"))).toBe(plain(stepsPage()));
    expect(plain(readFileSync("docs/checks.md", "utf8"))).toBe(plain(checksPage()));
    expect(plain(readFileSync("docs/matching.md", "utf8"))).toBe(plain(matchingPage()));
    const published = JSON.parse(readFileSync("docs/plan.schema.json", "utf8")) as object;
    expect(published).toEqual(JSON.parse(JSON.stringify(planJsonSchema())));
  });

  it("fills in what is not said", () => {
    const plan = parsePlan(withField({ name: "a", type: "date" }));
    expect(plan.read).toMatchObject({ delimiter: "auto", header: true, encoding: "auto" });
    expect(plan.contract.fields[0]!.formats).toEqual(["yyyy-MM-dd"]);
    expect(plan.gates).toHaveLength(3);
    expect(parsePlan(plan)).toEqual(plan);
  });

  it("takes the demo's plan", () => {
    expect(parsePlan(ACCESSIONS).contract.fields).toHaveLength(14);
  });

  it.each([
    [{}, "format"],
    [withField({ name: "Bad Name", type: "text" }), "contract.fields.0.name"],
    [withField({ name: "a", type: "colour" }), "contract.fields.0.type"],
    [withField({ name: "a", type: "decimal", precision: 3, scale: 5 }), "scale can't be greater"],
    [withField({ name: "a", type: "text", pattern: "(" }), "can't be understood"],
    [withField({ name: "a", type: "integer", pattern: "1" }), "for text and codes"],
    [withField({ name: "a", type: "text", least: 1 }), "no order"],
    [withField({ name: "a", type: "date", least: "soon" }), "not a value of the type"],
    [withField({ name: "a", type: "date", formats: ["yyyy"] }), "does not give"],
    [withField({ name: "a", type: "text", surprise: 1 }), "surprise"],
    [
      {
        ...base,
        contract: {
          fields: [
            { name: "a", type: "text" },
            { name: "a", type: "text" },
          ],
        },
      },
      "Two fields",
    ],
    [{ ...withField({ name: "a", type: "text" }), load: { target: "t", key: ["b"] } }, "There is no field b"],
    [{ ...withField({ name: "a", type: "text" }), load: { target: "t", mode: "upsert" } }, "needs a key"],
    [{ ...withField({ name: "a", type: "text" }), cleanse: [{ do: "trim", in: ["zz"] }] }, "There is no field zz"],
    [{ ...withField({ name: "a", type: "text" }), cleanse: [{ do: "dance", in: "*" }] }, "cleanse.0"],
    [{ ...withField({ name: "a", type: "text" }), load: { target: 'x"; drop table y' } }, "load.target"],
  ])("says what is wrong and where: %#", (document, words) => {
    expect(faults(document)).toContain(words);
  });
});

describe("compiling", () => {
  it("makes a check of everything that the contract asks", () => {
    const compiled = compilePlan(
      planOf(
        [
          { name: "id", type: "integer", required: true, on_failure: { required: "stop" } },
          { name: "n", type: "text", length: 3, pattern: "x", on_failure: "note" },
          { name: "d", type: "date", least: "2020-01-01", most: "2030-01-01", unique: true },
        ],
        { load: { target: "t", key: ["id"] }, check: [{ check: "unique", in: ["n", "d"], on_failure: "note" }] },
      ),
    );
    expect(compiled.checks.map((c) => `${c.key} ${c.onFailure}`)).toEqual([
      "id:type hold",
      "id:required stop",
      "n:length note",
      "n:pattern note",
      "d:type hold",
      "d:least hold",
      "d:most hold",
      "d:unique hold",
      "n+d:unique note",
      "id:unique hold",
    ]);
    expect(policyOf(compiled.fields[0]!, "type")).toBe("hold");
  });

  it("never lets a repeat of the key through, whatever the field says", () => {
    const plan = planOf([{ name: "id", type: "text", unique: true, on_failure: "note" }], {
      load: { target: "t", key: ["id"] },
    });
    expect(compilePlan(plan).checks.map((c) => `${c.key} ${c.onFailure}`)).toEqual(["id:unique hold"]);
  });

  it("has words for every fault", () => {
    const { fields } = compilePlan(parsePlan(ACCESSIONS));
    for (const key of compilePlan(parsePlan(ACCESSIONS)).checks.map((c) => c.key))
      expect(faultTitle(key, fields)).not.toContain(":");
    expect(faultTitle("read:nul", [])).toBe("a NUL byte");
    expect(faultTitle("target:taken", [])).toBe("the key is already in the target");
  });
});

describe("columns meet fields", () => {
  const fields = planOf([
    { name: "acc_no", type: "text", also: ["Accession"] },
    { name: "collected_on", type: "text", title: "Date collected" },
    { name: "notes", type: "text" },
  ]).contract.fields;

  it("by name whatever the case, spacing, punctuation and order", () => {
    const mapping = mapColumns(["DATE-COLLECTED", "x", "Acc. No."], fields);
    expect([...mapping.column]).toEqual([2, 0, -1]);
    expect(mapping.extra).toEqual(["x"]);
    expect(mapping.missing).toEqual(["notes"]);
    expect(plainName("Ångström (m)")).toBe("angstromm");
  });

  it("by its own name before another field's other name, and one column once", () => {
    const two = planOf([
      { name: "a", type: "text", also: ["b"] },
      { name: "b", type: "text" },
    ]).contract.fields;
    expect([...mapColumns(["b"], two).column]).toEqual([-1, 0]);
    expect([...mapColumns(["b", "A"], two).column]).toEqual([1, 0]);
  });
});
