import { OUTPUTS } from "@/core/write/records/parts.ts";
import { listConnections } from "@/store/connections.ts";
import { getFeed, planInForce } from "@/store/feeds.ts";
import { listLoads } from "@/store/loads.ts";
import { RecordsOut } from "@/ui/feeds/records-out.tsx";
import { orNotThere } from "../../../or-not-there.ts";
import { db } from "../../../server.ts";
import { Link } from "@/ui/kit/link.tsx";

export const metadata = { title: "Records out" };

/** Rows of a feed's target on their way out, as files. */
export default async function OutPage({ params }: { params: Promise<{ feed: string }> }) {
  const feed = await orNotThere(params.then(({ feed: name }) => getFeed(db(), name)));
  const { document } = await orNotThere(planInForce(db(), feed.name));
  const connections = (await listConnections(db())).filter((c) => c.kind === "database").map((c) => c.name);
  const loads = await listLoads(db(), { feed: feed.name, limit: 60 });
  return (
    <>
      <p className="faint">
        <Link href="/feeds">Feeds</Link> / <Link href={`/feeds/${feed.name}`}>{feed.title}</Link>
      </p>
      <h1>Records out</h1>
      <p className="faint mb-3 max-w-3xl">
        The rows of {document.load.schema ? `${document.load.schema}.` : ""}
        {document.load.target} as they are at the moment when you ask, by the fields of the contract, each value typed
        as the contract has it; or the records of a load, or what is held, with what is said of each; or what a query
        gives.
      </p>
      <RecordsOut
        feed={feed.name}
        formats={OUTPUTS.map(({ id, title, extensions: [ending = ""], delimited = false, elements = false }) => ({
          id,
          title,
          ending,
          delimited,
          elements,
        }))}
        fields={document.contract.fields.map(({ name, type }) => ({
          name,
          isDay: type === "date" || type === "timestamp",
        }))}
        beside={document.load.without ?? []}
        connections={connections}
        loads={loads.filter((l) => l.state === "loaded" && l.kind === "load").map((l) => l.id)}
      />
    </>
  );
}
