import Link from "next/link";
import { notFound } from "next/navigation";
import { getFeed } from "@/store/feeds.ts";
import { getLoad } from "@/store/loads.ts";
import { countClusters, loadClusters, pairPlans } from "@/store/matches.ts";
import { db, wholeNumber } from "../../../server.ts";

export const metadata = { title: "Clusters" };
const PAGE = 100;

/** Records that a load made one of: the members as they came, the kept record above them. */
export default async function ClustersPage({
  params,
  searchParams,
}: {
  params: Promise<{ id: string }>;
  searchParams: Promise<{ after?: string }>;
}) {
  const id = wholeNumber((await params).id, "load");
  const after = Number((await searchParams).after ?? -1);
  const load = await getLoad(db(), id).catch(() => notFound());
  const [clusters, total, [plan]] = await Promise.all([
    loadClusters(db(), id, Number.isInteger(after) ? after : -1, PAGE),
    countClusters(db(), id),
    pairPlans(db(), [id]),
  ]);
  if (!plan) notFound();
  const feed = await getFeed(db(), load.feed);
  return (
    <>
      <p className="faint">
        <Link href={`/feeds/${load.feed}`}>{feed.title}</Link> / <Link href={`/loads/${id}`}>load {id}</Link>
      </p>
      <h1>
        {total.toLocaleString("en")} {total === 1 ? "cluster" : "clusters"}: records that are one
      </h1>
      <div className="mt-3 overflow-x-auto" tabIndex={0} role="region" aria-label="Clusters">
        <table className="ledger">
          <thead>
            <tr>
              <th />
              {plan.fields.map((f) => (
                <th key={f.name}>{f.title ?? f.name}</th>
              ))}
            </tr>
          </thead>
          {clusters.map((c) => (
            <tbody key={c.first} className="border-t border-[var(--ink)]">
              <tr className="bg-[var(--shade)]">
                <td className="font-semibold whitespace-nowrap">kept</td>
                {c.kept.map((value, f) => (
                  <td key={f} className="font-semibold whitespace-nowrap">
                    {value}
                  </td>
                ))}
              </tr>
              {c.members.map((m, i) => (
                <tr key={i}>
                  <td className="faint whitespace-nowrap">{m.record === null ? "target" : `record ${m.record + 1}`}</td>
                  {m.values.map((value, f) => (
                    <td
                      key={f}
                      className={`whitespace-nowrap ${c.origins[f] === i ? "" : "faint"}`}
                      title={c.origins[f] === i ? "the kept value came from here" : undefined}
                    >
                      {c.origins[f] === i && value !== "" ? (
                        <u className="decoration-[var(--ochre)]">{value}</u>
                      ) : (
                        value
                      )}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          ))}
        </table>
      </div>
      <p className="faint mt-2 text-sm">Underlined: where each kept value came from.</p>
      {clusters.length === PAGE && (
        <Link className="plain" href={`/loads/${id}/clusters?after=${clusters.at(-1)!.first}`}>
          The next {PAGE}
        </Link>
      )}
    </>
  );
}
