import { notFound, redirect } from "next/navigation";
import { z } from "zod";
import { getDelivery, latestDelivery } from "@/store/deliveries.ts";
import { getFeed, planInForce } from "@/store/feeds.ts";
import { BeginDesk } from "@/ui/feeds/begin-desk.tsx";
import { orNotThere } from "../../../or-not-there.ts";
import { db } from "../../../server.ts";

const query = z.object({ delivery: z.coerce.number().int().min(1).optional() });

export default async function BeginPage({
  params,
  searchParams,
}: {
  params: Promise<{ feed: string }>;
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  const name = (await params).feed;
  const asked = query.safeParse(await searchParams);
  const feed = await orNotThere(getFeed(db(), name));
  // Once there is a plan, it is changed where plans are changed.
  if (await planInForce(db(), name).catch(() => null)) redirect(`/feeds/${name}/plan`);
  const id = asked.data?.delivery ?? (await latestDelivery(db(), name));
  if (id === null) redirect("/feeds/new");
  const delivery = await getDelivery(db(), id).catch(() => notFound());
  if (delivery.feed !== name) notFound();
  return (
    <BeginDesk
      feed={{ name, title: feed.title }}
      delivery={{
        id,
        names: delivery.files.map((f) => f.name).join(", "),
        bytes: delivery.files.reduce((n, f) => n + f.bytes, 0),
      }}
    />
  );
}
