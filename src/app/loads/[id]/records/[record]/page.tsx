import { apart } from "@/engine/apart/apart.ts";
import { getFeed, getPlan } from "@/store/feeds.ts";
import { getLoad } from "@/store/loads.ts";
import { problemFrom } from "@/ui/kit/api.ts";
import { Link } from "@/ui/kit/link.tsx";
import { ProblemNote } from "@/ui/kit/problem-note.tsx";
import { grouped } from "@/ui/kit/words.ts";
import { RecordLifeView } from "@/ui/loads/record-life.tsx";
import { orNotThere, orWhyNot } from "../../../../or-not-there.ts";
import { db, wholeNumber } from "../../../../server.ts";

export const metadata = { title: "A record" };

/** One record of a load: as it came, what was made of it, and what became of it since. */
export default async function RecordLifePage({ params }: { params: Promise<{ id: string; record: string }> }) {
  const { id, record: given } = await params;
  const record = await orNotThere(Promise.resolve().then(() => wholeNumber(given, "The record")));
  const load = await orNotThere(Promise.resolve().then(() => getLoad(db(), wholeNumber(id, "The load"))));
  const [feed, plan, life] = await Promise.all([
    getFeed(db(), load.feed),
    getPlan(db(), load.plan),
    orWhyNot(apart("life of a record", { load: load.id, record })),
  ]);
  return (
    <>
      <p className="faint">
        <Link href={`/feeds/${load.feed}`}>{feed.title}</Link> /{" "}
        <Link href={`/loads/${load.id}`}>{`${load.kind} ${load.id}`}</Link>
      </p>
      <h1>Record {grouped(record + 1)}</h1>
      {"why" in life ? (
        <ProblemNote problem={problemFrom(life.why)} />
      ) : (
        <RecordLifeView life={life.shown} plan={plan.document} now={new Date()} />
      )}
    </>
  );
}
