import { z } from "zod";
import { body, db, route } from "@/app/server.ts";
import { namedFormulaSchema } from "@/core/formula/named.ts";
import { withFormula } from "@/core/plan/edit.ts";
import { savePlan } from "@/store/feeds.ts";
import { formulaVersions, plansUsing, saveFormula } from "@/store/formulas.ts";

const input = z.object({
  formula: namedFormulaSchema,
  from: z.int().min(0),
  note: z.string().min(1).max(500),
  /** Feeds whose plans take the new version over. */
  feeds: z.array(z.string().max(63)).max(200).default([]),
});

export const GET = route<{ name: string }>(async (_, { name }) => ({
  versions: await formulaVersions(db(), name),
  used: (await plansUsing(db(), name)).map(({ feed, title, version }) => ({ feed, title, version })),
}));

/** Saves the next version, and with it a version of each plan that takes it over. */
export const POST = route<{ name: string }>(async (request, { name }) => {
  const { formula, from, note, feeds } = input.parse(await body(request));
  const version = await saveFormula(db(), name, from, formula, note, "steward");
  const plans: { feed: string; version: number }[] = [];
  for (const plan of await plansUsing(db(), name)) {
    if (!feeds.includes(plan.feed)) continue;
    const next = withFormula(plan.document, name, formula);
    const saved = await savePlan(
      db(),
      plan.feed,
      next,
      `formula ${name}, version ${version}: ${note}`,
      "steward",
      plan.version,
    );
    plans.push({ feed: plan.feed, version: saved.version ?? 0 });
  }
  return { version, plans };
});
