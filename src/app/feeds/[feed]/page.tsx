import { getFeed, listPlans, type Feed } from "@/store/feeds.ts";
import { countHeld } from "@/store/held.ts";
import { listLoads } from "@/store/loads.ts";
import { FeedDrift, type DriftOfFeed } from "@/ui/feeds/feed-drift.tsx";
import { PlanVersions } from "@/ui/feeds/plan-versions.tsx";
import { BringIn } from "@/ui/feeds/bring-in.tsx";
import { HeldTrend } from "@/ui/quarantine/held-trend.tsx";
import { copiesOfFeed } from "@/store/target-copies.ts";
import { listSources } from "@/store/sources.ts";
import { SourceList } from "@/ui/feeds/source-list.tsx";
import { LoadList } from "@/ui/loads/load-list.tsx";
import { Link } from "@/ui/kit/link.tsx";
import { counted, grouped } from "@/ui/kit/words.ts";
import { orNotThere } from "../../or-not-there.ts";
import { db } from "../../server.ts";

/** The feed's drift, each kind and column once, with the loads that it was met in, the newest first. */
function driftOf(loads: Awaited<ReturnType<typeof listLoads>>) {
  const found = new Map<string, DriftOfFeed & { loads: number[] }>();
  for (const l of loads) {
    for (const d of l.drift ?? []) {
      const key = `${d.kind} ${d.name}`;
      const known = found.get(key) ?? { ...d, loads: [] };
      known.loads.push(l.id);
      found.set(key, known);
    }
  }
  return [...found.values()];
}

export default async function FeedPage({ params }: { params: Promise<{ feed: string }> }) {
  const name = (await params).feed;
  const feed = await orNotThere(getFeed(db(), name));
  const now = new Date();
  const [plans, held, loads, sources, copies] = await Promise.all([
    listPlans(db(), name),
    countHeld(db(), { feed: name }),
    listLoads(db(), { feed: name, limit: 60 }),
    listSources(db(), name),
    copiesOfFeed(db(), name),
  ]);
  const ended = loads.filter((l) => l.state === "loaded" || l.state === "stopped");
  const drift = driftOf(loads);
  return (
    <>
      <FeedHeading feed={feed} held={held} version={plans[0]?.version} />
      <div className="mt-3 grid grid-cols-1 gap-8 xl:grid-cols-[1fr_19rem]">
        <section>
          {ended.length > 1 && (
            <>
              <h2>Share held, last {Math.min(14, ended.length)} loads</h2>
              <HeldTrend
                loads={ended
                  .slice(0, 14)
                  .reverse()
                  .map((l) => ({ id: l.id, read: l.read ?? 0, held: l.held ?? 0 }))}
              />
            </>
          )}
          <div className="mt-3 flex items-baseline justify-between">
            <h2>{counted(loads.length, "load")}</h2>
            <span className="flex gap-4 text-sm">
              {plans.length > 0 && (
                <Link className="plain" href={`/feeds/${name}/run`}>
                  run again
                </Link>
              )}
              <Link className="plain" href={`/feeds/${name}/period`}>
                account of a month
              </Link>
              <Link className="plain" href={`/feeds/${name}/out`}>
                records out, as files
              </Link>
              {copies.length > 0 && (
                <Link className="plain" href={`/feeds/${name}/copies`}>
                  {counted(copies.length, "copy", "copies")} elsewhere
                </Link>
              )}
              <Link className="plain" href={`/feeds/${name}/writings`}>
                all writings of the target
              </Link>
            </span>
          </div>
          {loads.length === 0 ? (
            <p className="py-4">Loads will be listed here. Drop the first file anywhere on this page.</p>
          ) : (
            <LoadList loads={loads} now={now.toISOString()} showFeed={false} />
          )}
          <SourceList feed={name} sources={sources} now={now.toISOString()} />
        </section>
        <section>
          {drift.length > 0 && <FeedDrift drift={drift} />}
          <PlanVersions feed={name} plans={plans} now={now} />
        </section>
      </div>
    </>
  );
}

/** What the feed is called, what is held of it, and where to go from here. */
function FeedHeading({ feed, held, version }: { feed: Feed; held: number; version: number | null | undefined }) {
  const { name } = feed;
  return (
    <div className="flex items-end justify-between border-b border-[var(--ink)] pb-3">
      <div>
        <p className="faint">
          <Link href="/feeds">Feeds</Link> / {feed.name}
        </p>
        <h1>{feed.title}</h1>
        <p className="faint">{feed.about}</p>
      </div>
      <div className="flex items-center gap-4">
        {held > 0 && (
          <Link className="plain" href={`/quarantine?feed=${name}`}>
            {grouped(held)} held now
          </Link>
        )}
        <Link className="btn btn-line" href={`/feeds/${name}/plan`}>
          Open the plan{version ? `, version ${version}` : ""}
        </Link>
        <BringIn feeds={[{ name, title: feed.title }]} feed={name} />
      </div>
    </div>
  );
}
