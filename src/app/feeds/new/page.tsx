import { listFeeds } from "@/store/feeds.ts";
import { NewFeed } from "@/ui/feeds/new-feed.tsx";
import { db } from "../../server.ts";
import { Link } from "@/ui/kit/link.tsx";

export const metadata = { title: "New feed" };

export default async function NewFeedPage() {
  const feeds = await listFeeds(db());
  return (
    <>
      <p className="faint">
        <Link href="/feeds">Feeds</Link> / new
      </p>
      <h1 className="mb-3">A new feed from files like these</h1>
      <NewFeed taken={feeds.map((f) => f.name)} />
    </>
  );
}
