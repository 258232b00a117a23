import { z } from "zod";
import { mapColumns } from "@/core/map/columns.ts";
import type { Profile } from "@/core/profile/facts.ts";
import type { Plan } from "@/core/plan/document.ts";
import { getDelivery } from "@/store/deliveries.ts";
import { getFeed, planInForce } from "@/store/feeds.ts";
import { codesSeen, type CodeSeen } from "@/store/load-history.ts";
import { profilesOf } from "@/store/profiles.ts";
import { ProfileDesk, type EarlierProfile } from "@/ui/profile/profile-desk.tsx";
import { Link } from "@/ui/kit/link.tsx";
import { counted, grouped, moment } from "@/ui/kit/words.ts";
import { orNotThere } from "../../../or-not-there.ts";
import { db, wholeNumber } from "../../../server.ts";

export const metadata = { title: "Profile" };
const query = z.object({ with: z.coerce.number().int().min(1).optional() });

/** What is known of the codes of each column that meets a code field. */
function codesByColumn(plan: Plan, profile: Profile | null, codes: readonly CodeSeen[]): Record<string, CodeSeen[]> {
  const columns = profile?.columns.map((c) => c.name) ?? [];
  const { column } = mapColumns(columns, plan.contract.fields);
  return Object.fromEntries(
    plan.contract.fields.flatMap((f, i) =>
      f.type === "code" && column[i]! >= 0 ? [[columns[column[i]!]!, codes.filter((c) => c.field === f.name)]] : [],
    ),
  );
}

export default async function ProfilePage({
  params,
  searchParams,
}: {
  params: Promise<{ id: string }>;
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  const wanted = query.safeParse(await searchParams).data?.with;
  const delivery = await orNotThere(params.then(({ id }) => getDelivery(db(), wholeNumber(id, "The delivery"))));
  const { id } = delivery;
  const [feed, plan, profiles, codes] = await Promise.all([
    getFeed(db(), delivery.feed),
    planInForce(db(), delivery.feed).catch(() => null),
    profilesOf(db(), delivery.feed),
    codesSeen(db(), delivery.feed),
  ]);
  const earlier = profiles.filter((p) => p.delivery !== id);
  const chosen =
    earlier.find((p) => p.delivery === wanted) ?? earlier.find((p) => p.delivery < id && wanted === undefined);
  const all = [...profiles].reverse();
  const seen: Record<string, EarlierProfile[]> = {};
  for (const p of all) {
    for (const c of p.document!.columns) (seen[c.name] ??= []).push({ delivery: p.delivery, names: p.names });
  }
  return (
    <>
      <div className="flex items-end justify-between border-b border-[var(--ink)] pb-3">
        <div>
          <p className="faint">
            <Link href={`/feeds/${feed.name}`}>{feed.title}</Link> / delivery {id}
          </p>
          <h1>What is in {delivery.files.map((f) => f.name).join(", ")}</h1>
          <p className="faint">
            {counted(delivery.files.length, "file")}, {grouped(delivery.files.reduce((n, f) => n + f.bytes, 0))} bytes
            {delivery.sender && `, from ${delivery.sender}`}, received {moment(delivery.receivedAt, new Date())}
          </p>
        </div>
      </div>
      <ProfileDesk
        codes={
          plan ? codesByColumn(plan.document, profiles.find((p) => p.delivery === id)?.document ?? null, codes) : {}
        }
        delivery={id}
        read={plan?.document.read ?? null}
        earlier={earlier.map((p) => ({ delivery: p.delivery, names: p.names }))}
        compared={chosen ? { delivery: chosen.delivery, names: chosen.names, document: chosen.document! } : null}
        seen={Object.fromEntries(
          Object.entries(seen).map(([name, list]) => [
            name,
            { first: list[0]!, last: list.at(-1)!, of: all.length, in: list.length },
          ]),
        )}
      />
    </>
  );
}
