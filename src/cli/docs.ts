import { writeFileSync } from "node:fs";
import { checksPage, formulasPage, matchingPage, stepsPage, typesPage } from "@/core/docs/parts.ts";
import { apiPage } from "@/routes/openapi.ts";
import { planJsonSchema } from "@/core/plan/schema.ts";

/** Writes what is published of the code: the JSON Schema of the plan, and the tables of steps, functions and comparators. */
export function writeDocs(): void {
  writeFileSync("docs/plan.schema.json", `${JSON.stringify(planJsonSchema(), null, 2)}\n`);
  writeFileSync("docs/formulas.md", formulasPage());
  writeFileSync("docs/types.md", typesPage());
  writeFileSync("docs/steps.md", stepsPage());
  writeFileSync("docs/checks.md", checksPage());
  writeFileSync("docs/matching.md", matchingPage());
  writeFileSync("docs/api.md", apiPage());
}
