import { getFeed } from "@/store/feeds.ts";
import { CopiesDesk } from "@/ui/feeds/copies-desk.tsx";
import { orNotThere } from "../../../or-not-there.ts";
import { db } from "../../../server.ts";
import { Link } from "@/ui/kit/link.tsx";

export const metadata = { title: "Copies" };

/** The copies of a feed's targets in other databases, held against them. */
export default async function CopiesPage({ params }: { params: Promise<{ feed: string }> }) {
  const feed = await orNotThere(params.then(({ feed: name }) => getFeed(db(), name)));
  return (
    <>
      <p className="faint">
        <Link href={`/feeds/${feed.name}`}>{feed.title}</Link>
      </p>
      <h1>Copies in other databases</h1>
      <CopiesDesk feed={feed.name} />
    </>
  );
}
