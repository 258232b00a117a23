import { db, handle } from "@/app/server.ts";
import type { SetCheck } from "@/core/plan/check-sets.ts";
import { plainNameSchema } from "@/core/plan/name.ts";
import { saveCheckSet } from "@/routes/formulas.ts";
import { saveCheckSet as save } from "@/store/check-sets.ts";

export const POST = handle(saveCheckSet, async ({ params, body }) => {
  const name = plainNameSchema.parse(params.name);
  return { version: await save(db(), name, body.from, body.checks as SetCheck[], body.note, "steward") };
});
