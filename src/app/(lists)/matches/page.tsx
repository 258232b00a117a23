import { z } from "zod";
import { pairAsked } from "@/routes/matches.ts";
import { listFeeds } from "@/store/feeds.ts";
import { askedPairs, countPairs, decidedByScore, decidedPairs, pairPlans } from "@/store/matches.ts";
import { MatchDesk } from "@/ui/matches/match-desk.tsx";
import { db } from "../../server.ts";

export const metadata = { title: "Matches" };

export default async function MatchesPage({
  searchParams,
}: {
  searchParams: Promise<Record<string, string | string[] | undefined>>;
}) {
  const parsed = z.object(pairAsked).safeParse(await searchParams);
  const { order, ...filter } = parsed.success ? parsed.data : {};
  const [pairs, count, decided, feeds] = await Promise.all([
    askedPairs(db(), filter, { order }),
    countPairs(db(), filter),
    decidedPairs(db(), filter, 50),
    listFeeds(db()),
  ]);
  const plans = await pairPlans(
    db(),
    [...pairs, ...decided].map((p) => p.load),
    [...pairs, ...decided].map((p) => p.plan),
  );
  const names = [...new Set(pairs.map((p) => p.feed))];
  const before = await Promise.all(names.map(async (feed) => [feed, await decidedByScore(db(), feed)] as const));
  return (
    <MatchDesk
      key={JSON.stringify([filter, order])}
      filter={filter}
      order={order ?? "alike"}
      first={pairs}
      count={count}
      decided={decided}
      plans={plans}
      before={Object.fromEntries(before)}
      titles={Object.fromEntries(feeds.map((f) => [f.name, f.title]))}
    />
  );
}
