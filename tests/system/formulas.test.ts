import { expect, it } from "vitest";
import { withFormula } from "@/core/plan/edit.ts";
import { planInForce, savePlan } from "@/store/feeds.ts";
import { formulaVersions, namedFormulas, plansUsing, saveFormula } from "@/store/formulas.ts";
import { loadNow, newFeed, useSystem } from "../support/system.ts";

const system = useSystem();

const small = (most: number) => ({
  parameters: [{ name: "n", type: "integer" as const }],
  body: `n <= ${most}`,
  examples: [{ formula: `isSmall(${most})`, gives: true }],
});

it("a named formula is kept in versions, each of which holds its examples", async () => {
  const { db } = system;
  expect(await saveFormula(db, "isSmall", 0, small(10), "the first", "Ines")).toBe(1);
  await expect(saveFormula(db, "isSmall", 0, small(5), "late", "Odo")).rejects.toThrow(
    "isSmall is at version 1 by now, not 0.",
  );
  const bad = { ...small(5), examples: [{ formula: "isSmall(6)", gives: true }] };
  await expect(saveFormula(db, "isSmall", 1, bad, "wrong", "Odo")).rejects.toThrow(
    "The example isSmall(6) does not hold.",
  );
  await expect(saveFormula(db, "size", 0, small(5), "taken", "Odo")).rejects.toThrow(
    "There is a function size already.",
  );
  expect((await formulaVersions(db, "isSmall")).map((f) => f.note)).toEqual(["the first"]);
});

it("a plan keeps the version that it was saved with until it takes another over", async () => {
  const { db } = system;
  const check = [{ name: "small", that: "isSmall(n)", on_failure: "hold" }];
  const formulas = await namedFormulas(db);
  await newFeed(db, "counts", [{ name: "n", type: "integer" }], {}, { check, formulas, gates: [] });
  expect((await loadNow(db, "counts", "n\n3\n8\n12\n")).report!.balance.outcomes).toMatchObject({
    inserted: 2,
    held: 1,
  });
  await saveFormula(db, "isSmall", 1, small(5), "stricter", "Ines");
  expect((await loadNow(db, "counts", "n\n3\n8\n13\n")).report!.balance.outcomes).toMatchObject({
    inserted: 2,
    held: 1,
  });
  const [using] = await plansUsing(db, "isSmall");
  expect(using).toMatchObject({ feed: "counts", version: 1 });
  await savePlan(db, "counts", withFormula(using!.document, "isSmall", small(5)), "stricter", "Ines", 1);
  expect((await planInForce(db, "counts")).document.formulas!["isSmall"]!.body).toBe("n <= 5");
  expect((await loadNow(db, "counts", "n\n3\n8\n14\n")).report!.balance.outcomes).toMatchObject({
    inserted: 1,
    held: 2,
  });
});
