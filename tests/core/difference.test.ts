import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { differences, type Difference } from "@/core/plan/difference.ts";
import { removeField, renameField } from "@/core/plan/edit.ts";
import type { Plan } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { ACCESSIONS } from "../../demo/plan.ts";
import { OTHER_FEEDS } from "../../demo/other-feeds.ts";

const plan = parsePlan(ACCESSIONS);
const change = (make: (draft: Plan) => void): Plan => {
  const draft = structuredClone(plan);
  make(draft);
  return parsePlan(draft);
};
const said = (is: Plan, was = plan): string[] =>
  differences(was, is).map((d: Difference) => `${d.stage} | ${d.what} | ${d.was} | ${d.is}`);

describe("what two versions of a plan say differently", () => {
  it("is nothing for the same plan", () => {
    for (const f of OTHER_FEEDS) expect(differences(parsePlan(f.plan), parsePlan(structuredClone(f.plan)))).toEqual([]);
  });

  it.each<[string, (draft: Plan) => void, string[]]>([
    ["a delimiter", (d) => Object.assign(d.read, { delimiter: ";" }), ["Read | delimiter | auto | ;"]],
    ["a policy", (d) => (d.map.extra = "stop"), ["Map | extra | note | stop"]],
    ["a limit", (d) => (d.contract.fields[9]!.most = 9000), ["Check | field altitude_m, most | 8850 | 9000"]],
    ["required", (d) => delete d.contract.fields[0]!.required, ["Check | field accession, required | yes | null"]],
    [
      "a new field",
      (d) => d.contract.fields.push({ name: "lot", type: "text", length: 9 }),
      ["Check | field lot | null | type text; length 9"],
    ],
    [
      "a step taken out, another changed, another switched off",
      (d) => {
        d.cleanse.splice(1, 1);
        d.cleanse[1]!["words"] = ["?"];
        d.cleanse[3]!.off = true;
      },
      [
        "Cleanse | step 2 | empty when ?, n/a, unknown in all fields | empty when ? in all fields",
        "Cleanse | step 2 | collapse runs of spaces in scientific_name, collector, site | null",
        "Cleanse | step 4 | sentence case in scientific_name | sentence case in scientific_name (switched off)",
      ],
    ],
    [
      "a step moved",
      (d) => d.cleanse.push(d.cleanse.shift()!),
      ["Cleanse | trim the ends in all fields, its place | step 1 | step 6"],
    ],
    [
      "checks",
      (d) => {
        d.check.push({ name: "heavy", that: "quantity_g > 1.0", on_failure: "note" });
        d.check.push({ check: "no overlaps", from: "latitude", to: "longitude", on_failure: "hold" });
      },
      [
        "Check | check heavy | null | that quantity_g > 1.0; on failure note",
        "Check | check latitude to longitude has no overlaps | null | check no overlaps; from latitude; to longitude; on failure hold",
      ],
    ],
    ["the mode", (d) => (d.load.mode = "append"), ["Load | mode | upsert | append"]],
    [
      "gates",
      (d) => {
        d.gates = [
          { limit: "held share", over: 0.1 },
          { limit: "empty share", field: "site", over: 0.5 },
        ];
      },
      [
        "Load | gate held share, over | 0.2 | 0.1",
        "Load | gate empty share of site | null | over 0.5",
        "Load | gate nothing read | yes | null",
        "Load | gate required column missing | yes | null",
      ],
    ],
  ])("is told for %s", (_, make, lines) => {
    expect(said(change(make))).toEqual(lines);
  });

  it("knows a renamed field again, and what follows it", () => {
    const lines = said(renameField(plan, "site", "place"));
    expect(lines).toContain("Check | name of a field | site | place");
    expect(lines.filter((l) => l.includes("field place"))).toEqual([
      "Check | field place, also | locality | locality, site",
    ]);
    expect(said(removeField(plan, "remarks"))).toEqual([
      "Check | field remarks | type text; length 200; title Remarks; also notes | null",
    ]);
  });

  it("tells of the look-up and of what is compared", () => {
    const [germination, collectors] = ["germination", "collectors"].map((name) =>
      parsePlan(OTHER_FEEDS.find((f) => f.plan.feed === name)!.plan),
    );
    const other = structuredClone(germination!);
    Object.assign(other.lookup![0]!, { least: 90 });
    expect(said(other, germination)).toEqual(["Look up | look-up taxon, least | 80 | 90"]);
    const matched = structuredClone(collectors!);
    Object.assign(matched.match!, { limits: { same: 90, ask: 50 } });
    expect(said(matched, collectors)).toHaveLength(1);
  });

  it("gives each step that came or went once, however they were mixed", () => {
    const step = fc.constantFrom(...plan.cleanse.map((s) => JSON.stringify(s)));
    fc.assert(
      fc.property(fc.array(step, { maxLength: 8 }), fc.array(step, { maxLength: 8 }), (a, b) => {
        const [was, is] = [a, b].map((list) => ({
          ...plan,
          cleanse: list.map((s) => JSON.parse(s) as Plan["cleanse"][0]),
        }));
        const found = differences(was!, is!);
        const come = found.filter((d) => d.was === null).length;
        const gone = found.filter((d) => d.is === null).length;
        expect(b.length - a.length).toBe(come - gone);
        if (JSON.stringify(a) === JSON.stringify(b)) expect(found).toEqual([]);
        else expect(found.length).toBeGreaterThan(0);
      }),
    );
  });
});
