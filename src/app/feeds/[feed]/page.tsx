import Link from "next/link";
import type { Drift } from "@/core/report/drift.ts";
import { getFeed, listPlans } from "@/store/feeds.ts";
import { countHeld } from "@/store/held.ts";
import { listLoads } from "@/store/loads.ts";
import { BringIn } from "@/ui/feeds/bring-in.tsx";
import { HeldTrend } from "@/ui/quarantine/held-trend.tsx";
import { copiesOfFeed } from "@/store/target-copies.ts";
import { listSources } from "@/store/sources.ts";
import { SourceList } from "@/ui/feeds/source-list.tsx";
import { LoadList } from "@/ui/loads/load-list.tsx";
import { counted, grouped, moment } from "@/ui/kit/words.ts";
import { orNotThere } from "../../or-not-there.ts";
import { db } from "../../server.ts";

/** The feed's drift, each kind and column once, with the loads that it was met in, the newest first. */
function driftOf(loads: Awaited<ReturnType<typeof listLoads>>) {
  const found = new Map<string, Drift & { loads: number[] }>();
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
            Open the plan{plans[0] ? `, version ${plans[0].version}` : ""}
          </Link>
          <BringIn feeds={[{ name, title: feed.title }]} feed={name} />
        </div>
      </div>
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
          {drift.length > 0 && (
            <>
              <h2>Drift</h2>
              <table className="ledger mb-4">
                <tbody>
                  {drift.slice(0, 12).map((d) => (
                    <tr key={`${d.kind} ${d.name}`}>
                      <td>
                        {d.kind} <b className="break-words">{d.name}</b>
                        {d.says && <span className="faint block text-xs">{d.says}</span>}
                        <span className="faint block text-xs">
                          {d.loads.length === 1 ? "in load " : `in ${d.loads.length} loads, first `}
                          <Link className="count" href={`/loads/${d.loads.at(-1)}`}>
                            {d.loads.at(-1)}
                          </Link>
                          {d.loads.length > 1 && (
                            <>
                              , last{" "}
                              <Link className="count" href={`/loads/${d.loads[0]}`}>
                                {d.loads[0]}
                              </Link>
                            </>
                          )}
                        </span>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </>
          )}
          <div className="flex items-baseline justify-between">
            <h2>Plan versions</h2>
            {plans.length > 1 && (
              <Link className="plain text-sm" href={`/feeds/${name}/versions`}>
                what changed
              </Link>
            )}
          </div>
          <table className="ledger">
            <thead>
              <tr>
                <th className="n">version</th>
                <th>note</th>
                <th className="n">loads</th>
              </tr>
            </thead>
            <tbody>
              {plans.map((p) => (
                <tr key={p.id}>
                  <td className="n align-top">
                    <Link className="plain" href={`/feeds/${name}/plan?version=${p.version}`}>
                      {p.version}
                    </Link>
                  </td>
                  <td>
                    {(p.version ?? 0) > 1 ? (
                      <Link
                        href={`/feeds/${name}/versions?from=${p.version! - 1}&to=${p.version}`}
                        title="What it changed"
                      >
                        {p.note}
                      </Link>
                    ) : (
                      p.note
                    )}
                    <span className="block text-xs faint">
                      {p.madeBy}, {moment(p.madeAt, now)}
                    </span>
                  </td>
                  <td className="n align-top">{p.loads}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      </div>
    </>
  );
}
