import { getFeed } from "@/store/feeds.ts";
import { getLoad } from "@/store/loads.ts";
import { AlikeDesk } from "@/ui/loads/alike-desk.tsx";
import { orNotThere } from "../../../or-not-there.ts";
import { db, wholeNumber } from "../../../server.ts";
import { Link } from "@/ui/kit/link.tsx";

export const metadata = { title: "Held before" };

/** Records of earlier loads that are held, beside those of this load that they may be. */
export default async function AlikePage({ params }: { params: Promise<{ id: string }> }) {
  const load = await orNotThere(params.then(({ id }) => getLoad(db(), wholeNumber(id, "The load"))));
  const feed = await getFeed(db(), load.feed);
  return (
    <>
      <p className="faint">
        <Link href={`/feeds/${load.feed}`}>{feed.title}</Link> / <Link href={`/loads/${load.id}`}>load {load.id}</Link>
      </p>
      <h1>Held before, and perhaps here again</h1>
      <AlikeDesk load={load.id} open={load.state === "loaded"} />
    </>
  );
}
