import { db, handle } from "@/app/server.ts";
import { withFormula } from "@/core/plan/edit.ts";
import { getFormula, saveFormula } from "@/routes/formulas.ts";
import { savePlan } from "@/store/feeds.ts";
import * as store from "@/store/formulas.ts";

export const GET = handle(getFormula, async ({ params: { name } }) => ({
  versions: await store.formulaVersions(db(), name),
  used: (await store.plansUsing(db(), name)).map(({ feed, title, version }) => ({ feed, title, version })),
}));

export const POST = handle(saveFormula, async ({ params: { name }, body: { formula, from, note, feeds } }) => {
  const version = await store.saveFormula(db(), name, from, formula, note, "steward");
  const plans: { feed: string; version: number }[] = [];
  for (const plan of await store.plansUsing(db(), name)) {
    if (!feeds.includes(plan.feed)) continue;
    const next = withFormula(plan.document, name, formula);
    const why = `formula ${name}, version ${version}: ${note}`;
    const saved = await savePlan(db(), plan.feed, next, why, "steward", plan.version);
    plans.push({ feed: plan.feed, version: saved.version ?? 0 });
  }
  return { version, plans };
});
