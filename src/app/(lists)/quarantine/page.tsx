import { z } from "zod";
import { heldFilter } from "@/routes/quarantine.ts";
import type { Plan } from "@/core/plan/document.ts";
import { knownFromTarget } from "@/engine/look/known.ts";
import { listFeeds, planInForce } from "@/store/feeds.ts";
import { CAUSE_ORDERS, countHeld, heldAges, heldGroups, listHeld } from "@/store/held.ts";
import { mendsMade } from "@/store/mends.ts";
import { QuarantineDesk } from "@/ui/quarantine/quarantine-desk.tsx";
import { db } from "../../server.ts";

export const metadata = { title: "Quarantine" };

export default async function QuarantinePage({
  searchParams,
}: {
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  // The same check in two feeds is two causes: `of` says whose is open.
  const asked = z.object({
    ...heldFilter,
    of: z.string().max(63).optional(),
    order: z.enum(CAUSE_ORDERS).default("records"),
  });
  const parsed = asked.safeParse(await searchParams);
  const { after: _, limit: __, check, of, order, ...filter } = parsed.success ? parsed.data : asked.parse({});
  const [groups, overtaken, ages, feeds] = await Promise.all([
    heldGroups(db(), filter, order),
    countHeld(db(), { ...filter, state: "overtaken" }),
    heldAges(db(), filter),
    listFeeds(db()),
  ]);
  const group = groups.find((g) => g.check === check && g.feed === (of ?? g.feed)) ?? groups[0] ?? null;
  const [records, plan, made] = group
    ? await Promise.all([
        listHeld(db(), { ...filter, feed: group.feed, check: group.check }, "", 500),
        planInForce(db(), group.feed).then((p): Plan => p.document),
        mendsMade(db(), group.feed),
      ])
    : [[], null, []];
  return (
    <QuarantineDesk
      key={`${JSON.stringify(filter)}${order}${group?.feed}${group?.check}`}
      filter={filter}
      groups={groups}
      order={order}
      group={group}
      total={ages.today + ages.week + ages.older}
      overtaken={overtaken}
      ages={ages}
      first={records}
      made={made}
      known={group && plan ? await knownFromTarget(db(), plan, group.check, records) : []}
      plan={plan}
      titles={Object.fromEntries(feeds.map((f) => [f.name, f.title]))}
    />
  );
}
