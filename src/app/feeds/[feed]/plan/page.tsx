import { notFound } from "next/navigation";
import { z } from "zod";
import { SieveError } from "@/core/problem.ts";
import { createTargetSql } from "@/engine/target.ts";
import { getDelivery, latestDelivery } from "@/store/deliveries.ts";
import { getFeed, getPlanVersion, listPlans, planInForce } from "@/store/feeds.ts";
import { listLoads } from "@/store/loads.ts";
import { PlanDesk } from "@/ui/plan-desk.tsx";
import { db } from "../../../server.ts";

const query = z.object({ version: z.coerce.number().int().min(1).optional() });

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
    const { version } = query.parse(await searchParams);
    const newest = await planInForce(db(), name);
    const shown = version === undefined ? newest : await getPlanVersion(db(), name, version);
    const latest = await latestDelivery(db(), name);
    const delivery = latest === null ? null : await getDelivery(db(), latest);
    const loads = await listLoads(db(), { feed: name, limit: 100 });
    const before = loads.find((l) => l.delivery === latest && (l.state === "loaded" || l.state === "stopped"));
    return (
      <PlanDesk
        key={shown.id}
        feed={{ name, title: feed.title }}
        shown={{ version: shown.version ?? 0, document: shown.document, note: shown.note }}
        newest={newest.version ?? 0}
        versions={(await listPlans(db(), name)).map((p) => p.version ?? 0)}
        ddl={createTargetSql(shown.document)}
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
      />
    );
  } catch (error) {
    if (error instanceof SieveError || error instanceof z.ZodError) notFound();
    throw error;
  }
}
