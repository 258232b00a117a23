import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { checkSetSchema, type SetCheck } from "@/core/plan/check-sets.ts";
import { plainNameSchema } from "@/core/plan/name.ts";
import { saveCheckSet } from "@/store/check-sets.ts";

const input = z.object({ checks: checkSetSchema, from: z.int().min(0), note: z.string().max(500).default("") });

/** Saves a set's next version; plans keep the version that they took until they take another. */
export const POST = route<{ name: string }>(async (request, { name }) => {
  const { checks, from, note } = input.parse(await body(request));
  const plain = plainNameSchema.parse(name);
  return { version: await saveCheckSet(db(), plain, from, checks as SetCheck[], note, "steward") };
});
