import { z } from "zod";
import { namedFormulaSchema, type NamedFormula } from "@/core/formula/named.ts";
import { checkSetSchema } from "@/core/plan/check-sets.ts";
import type { StoredCheckSet } from "@/store/check-sets.ts";
import type { StoredFormula } from "@/store/formulas.ts";
import { answerOf, declare } from "./declare.ts";

const name = { name: z.string() };
const formula: z.ZodType<NamedFormula, NamedFormula> = namedFormulaSchema;

/** A plan that a formula's change reaches. */
const reached = z.object({
  feed: z.string(),
  title: z.string(),
  uses: z.array(z.object({ stage: z.string(), says: z.string() })),
  trial: z.object({ load: z.int(), against: z.int() }).nullable(),
});
export type Reached = z.infer<typeof reached>;

export const listFormulas = declare("GET /api/formulas", {
  about: "the named formulas, each at its newest version",
  answer: z.object({ formulas: answerOf<StoredFormula[]>("each with its version, and how often it is used") }),
});

export const getFormula = declare("GET /api/formulas/{name}", {
  about: "the versions of one, and the plans that use it",
  params: name,
});

export const formulaEffect = declare("POST /api/formulas/{name}/effect", {
  about: "which plans a change reaches and where, each with trials to compare",
  params: name,
  body: z.object({ formula }),
  answer: z.object({ reach: z.array(reached) }),
});

export const saveFormula = declare("POST /api/formulas/{name}", {
  about: "saves its next version, and one of the plan of each of these feeds",
  params: name,
  body: z.object({
    formula,
    from: z.int().min(0),
    note: z.string().min(1).max(500),
    feeds: z.array(z.string().max(63)).max(200).default([]).describe("Feeds whose plans take the new version over"),
  }),
  problems: ["formula-moved", "formula-invalid"],
});

export const listCheckSets = declare("GET /api/check-sets", {
  about: "sets of checks that several feeds use, each at its newest version",
  answer: z.object({ sets: answerOf<StoredCheckSet[]>("each with its checks and the feeds that use it") }),
});

export const saveCheckSet = declare("POST /api/check-sets/{name}", {
  about: "saves the next version of one; plans keep the version that they took until they take another",
  params: name,
  body: z.object({ checks: checkSetSchema, from: z.int().min(0), note: z.string().max(500).default("") }),
  answer: z.object({ version: z.int() }),
  problems: ["set-moved"],
});
