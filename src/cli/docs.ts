import { writeFileSync } from "node:fs";
import { planJsonSchema } from "@/core/plan/schema.ts";

/** Writes what is published of the code: the JSON Schema of the plan. */
export function writeDocs(): void {
  writeFileSync("docs/plan.schema.json", `${JSON.stringify(planJsonSchema(), null, 2)}\n`);
}
