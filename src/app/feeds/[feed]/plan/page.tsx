import { notFound } from "next/navigation";
import { z } from "zod";
import type { Plan } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import type { Field } from "@/core/field/field.ts";
import { STAGES } from "@/core/plan/types.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { getDelivery, latestDelivery } from "@/store/deliveries.ts";
import { getFeed, getPlanVersion, listPlans, planInForce } from "@/store/feeds.ts";
import { listLoads } from "@/store/loads.ts";
import { checkHistory } from "@/store/load-history.ts";
import { decidedByScore, matchesSeen } from "@/store/matches.ts";
import { PlanDesk } from "@/ui/plan/plan-desk.tsx";
import { db } from "../../../server.ts";

const query = z.object({
  version: z.coerce.number().int().min(1).optional(),
  /** A field to put into the plan, as JSON: what a report proposes of a column. */
  field: z.string().max(20_000).optional(),
  /** The stage that is shown first. */
  stage: z.enum(STAGES).optional(),
});

/** The plan with one field more, or changed; the plan as it is where that would not be one. */
function withField(document: Plan, json: string | undefined): Plan | null {
  if (!json) return null;
  try {
    const field = JSON.parse(json) as Field;
    const { fields } = document.contract;
    const there = fields.some((f) => f.name === field.name);
    const next = there ? fields.map((f) => (f.name === field.name ? field : f)) : [...fields, field];
    return parsePlan({ ...document, contract: { fields: next } });
  } catch {
    return null;
  }
}

export default async function PlanPage({
  params,
  searchParams,
}: {
  params: Promise<{ feed: string }>;
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  const name = (await params).feed;
  try {
    const feed = await getFeed(db(), name);
    const { version, field, stage } = query.parse(await searchParams);
    const newest = await planInForce(db(), name);
    const shown = version === undefined ? newest : await getPlanVersion(db(), name, version);
    const latest = await latestDelivery(db(), name);
    const delivery = latest === null ? null : await getDelivery(db(), latest);
    const loads = await listLoads(db(), { feed: name, limit: 100 });
    const before = loads.find((l) => l.delivery === latest && (l.state === "loaded" || l.state === "stopped"));
    const seen = await matchesSeen(db(), name);
    return (
      <PlanDesk
        key={shown.id}
        begin={stage ?? "Check"}
        fired={await checkHistory(db(), name)}
        proposed={withField(shown.document, field)}
        feed={{ name, title: feed.title }}
        shown={{ version: shown.version ?? 0, document: shown.document, note: shown.note }}
        newest={newest.version ?? 0}
        versions={(await listPlans(db(), name)).map((p) => p.version ?? 0)}
        delivery={
          delivery
            ? {
                id: delivery.id,
                name: delivery.files.map((f) => f.name).join(", "),
                bytes: delivery.files.reduce((n, f) => n + f.bytes, 0),
              }
            : null
        }
        sift={before?.sift ?? null}
        matches={seen && { ...seen, decided: await decidedByScore(db(), name) }}
      />
    );
  } catch (error) {
    if (error instanceof SieveError || error instanceof z.ZodError) notFound();
    throw error;
  }
}
