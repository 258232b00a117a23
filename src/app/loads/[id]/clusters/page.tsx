import { notFound } from "next/navigation";
import { getFeed } from "@/store/feeds.ts";
import { getLoad } from "@/store/loads.ts";
import { countClusters, loadClusters, pairPlans } from "@/store/matches.ts";
import { ClusterTable } from "@/ui/matches/cluster-table.tsx";
import { orNotThere } from "../../../or-not-there.ts";
import { db, wholeNumber } from "../../../server.ts";
import { Link } from "@/ui/kit/link.tsx";

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
  const after = Number((await searchParams).after ?? -1);
  const load = await orNotThere(params.then(({ id }) => getLoad(db(), wholeNumber(id, "The load"))));
  const { id } = load;
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
      <ClusterTable
        load={id}
        fields={plan.fields.map((f) => f.title ?? f.name)}
        clusters={clusters}
        open={load.state === "loaded"}
        keyFields={plan.key}
      />
      {clusters.length === PAGE && (
        <Link className="plain" href={`/loads/${id}/clusters?after=${clusters.at(-1)!.first}`}>
          The next {PAGE}
        </Link>
      )}
    </>
  );
}
