import { getFeed } from "@/store/feeds.ts";
import { listWritings } from "@/store/writings.ts";
import { WritingList } from "@/ui/loads/writing-list.tsx";
import { Link } from "@/ui/kit/link.tsx";
import { counted } from "@/ui/kit/words.ts";
import { orNotThere } from "../../../or-not-there.ts";
import { db } from "../../../server.ts";

const SHOWN = 300;

export const metadata = { title: "Writings" };

/** Everything that changed a feed's target. */
export default async function WritingsPage({ params }: { params: Promise<{ feed: string }> }) {
  const feed = await orNotThere(params.then(({ feed: name }) => getFeed(db(), name)));
  const writings = await listWritings(db(), { feed: feed.name }, SHOWN);
  return (
    <>
      <p className="faint">
        <Link href="/feeds">Feeds</Link> / <Link href={`/feeds/${feed.name}`}>{feed.title}</Link>
      </p>
      <h1>
        {writings.length === SHOWN ? `The latest ${SHOWN} writings` : counted(writings.length, "writing")} of its target
      </h1>
      <p className="faint mb-3">
        Loads, releases, decisions and undos: each is numbered, and can be undone as far as what it wrote still stands.
        A row carries the number of the writing that left it as it is in its column _writing.
      </p>
      {writings.length === 0 ? (
        <p className="py-4">Nothing has been written yet. The first load will be writing 1.</p>
      ) : (
        <WritingList writings={writings} now={new Date().toISOString()} />
      )}
    </>
  );
}
