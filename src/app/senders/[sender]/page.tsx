import { heldGroups } from "@/store/held.ts";
import { listLoads } from "@/store/loads.ts";
import { listKeys } from "@/store/sender-keys.ts";
import { getSender, habitsOf, sendingsTo } from "@/store/senders.ts";
import { HeldTrend } from "@/ui/quarantine/held-trend.tsx";
import { LoadList } from "@/ui/loads/load-list.tsx";
import { AboutSender } from "@/ui/senders/about-sender.tsx";
import { HandOver } from "@/ui/senders/hand-over.tsx";
import { SenderCauses } from "@/ui/senders/sender-causes.tsx";
import { SenderHabits } from "@/ui/senders/sender-habits.tsx";
import { SentList } from "@/ui/senders/sent-list.tsx";
import { SenderKeys } from "@/ui/senders/sender-keys.tsx";
import { Link } from "@/ui/kit/link.tsx";
import { counted, moment } from "@/ui/kit/words.ts";
import { orNotThere } from "../../or-not-there.ts";
import { db } from "../../server.ts";

const nameOf = async (params: Promise<{ sender: string }>): Promise<string> =>
  decodeURIComponent((await params).sender);

export async function generateMetadata({ params }: { params: Promise<{ sender: string }> }) {
  return { title: await nameOf(params) };
}

/** What one sender sent, how well, what of it is held, and what it owes. */
export default async function SenderPage({ params }: { params: Promise<{ sender: string }> }) {
  const sender = await orNotThere(nameOf(params).then((name) => getSender(db(), name)));
  const { name } = sender;
  const now = new Date();
  const [habits, groups, loads, keys, sendings] = await Promise.all([
    habitsOf(db(), name),
    heldGroups(db(), { sender: name }),
    listLoads(db(), { sender: name, limit: 30 }),
    listKeys(db(), name),
    sendingsTo(db(), name),
  ]);
  const of = `sender=${encodeURIComponent(name)}`;
  return (
    <>
      <p className="faint">
        <Link href="/senders">Senders</Link> /
      </p>
      <h1>{name}</h1>
      <p className="faint">
        {counted(sender.deliveries, "delivery", "deliveries")} to {counted(sender.feeds.length, "feed")}, last{" "}
        {moment(new Date(sender.lastCame), now)}
      </p>
      <HandOver sender={sender} now={now.toISOString()} />
      <div className="mt-3 grid grid-cols-1 gap-8 xl:grid-cols-[1fr_21rem]">
        <section className="min-w-0">
          {sender.loads.length > 1 && (
            <>
              <h2>Share held, last {sender.loads.length} loads</h2>
              <HeldTrend loads={[...sender.loads]} />
            </>
          )}
          <h2 className="mt-3">How it sends</h2>
          <SenderHabits habits={habits} of={of} />
          <h2 className="mt-4">What came last</h2>
          <LoadList loads={loads} now={now.toISOString()} showFeed={sender.feeds.length > 1} />
        </section>
        <section>
          {groups.length > 0 && (
            <>
              <h2>What is wrong, by cause</h2>
              <SenderCauses groups={groups} feeds={sender.feeds} of={of} />
            </>
          )}
          {sendings.length > 0 && (
            <>
              <h2>What went to it</h2>
              <SentList sendings={sendings} now={now.toISOString()} />
            </>
          )}
          <h2 className={groups.length + sendings.length > 0 ? "mt-4" : ""}>About</h2>
          <AboutSender key={JSON.stringify(sender)} sender={sender} />
          <SenderKeys sender={name} keys={keys} feeds={sender.feeds} now={now.toISOString()} />
        </section>
      </div>
    </>
  );
}
