import { heldGroups } from "@/store/held.ts";
import { listLoads } from "@/store/loads.ts";
import { listKeys } from "@/store/sender-keys.ts";
import { getSender, habitsOf, sendingsTo } from "@/store/senders.ts";
import { HeldTrend } from "@/ui/quarantine/held-trend.tsx";
import { LoadList } from "@/ui/loads/load-list.tsx";
import { AboutSender } from "@/ui/senders/about-sender.tsx";
import { dateOrders } from "@/ui/senders/owes.ts";
import { HandOver } from "@/ui/senders/hand-over.tsx";
import { SentList } from "@/ui/senders/sent-list.tsx";
import { SenderKeys } from "@/ui/senders/sender-keys.tsx";
import { Link } from "@/ui/kit/link.tsx";
import { counted, grouped, moment, readWords } from "@/ui/kit/words.ts";
import { orNotThere } from "../../or-not-there.ts";
import { db } from "../../server.ts";

const nameOf = async (params: Promise<{ sender: string }>): Promise<string> =>
  decodeURIComponent((await params).sender);

export async function generateMetadata({ params }: { params: Promise<{ sender: string }> }) {
  return { title: await nameOf(params) };
}

/** Causes that are shown beside what is said of a sender. */
const MOST_CAUSES = 7;

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
          <table className="ledger">
            <thead>
              <tr>
                <th>feed</th>
                <th>its last file</th>
                <th>read as</th>
                <th className="n">columns</th>
                <th className="n">deliveries</th>
                <th className="n">held now</th>
              </tr>
            </thead>
            <tbody>
              {habits.map((h) => (
                <tr key={h.feed}>
                  <td>
                    <Link href={`/feeds/${h.feed}`}>{h.title}</Link>
                  </td>
                  <td className="max-w-56 truncate" title={h.file}>
                    <Link className="plain" href={`/loads/${h.load}`}>
                      {h.file}
                    </Link>
                  </td>
                  <td>
                    {readWords(h.read)}
                    {dateOrders(h.evidence).map((order) => (
                      <span key={order} className="faint block text-xs">
                        {order}
                      </span>
                    ))}
                  </td>
                  <td className="n" title={h.columns.join(", ")}>
                    {grouped(h.columns.length)}
                  </td>
                  <td className="n">{grouped(h.deliveries)}</td>
                  <td className="n held">
                    {h.held > 0 && (
                      <Link className="count" href={`/quarantine?feed=${h.feed}&${of}`}>
                        {grouped(h.held)}
                      </Link>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <h2 className="mt-4">What came last</h2>
          <LoadList loads={loads} now={now.toISOString()} showFeed={sender.feeds.length > 1} />
        </section>
        <section>
          {groups.length > 0 && (
            <>
              <h2>What is wrong, by cause</h2>
              <table className="ledger mb-1">
                <tbody>
                  {groups.slice(0, MOST_CAUSES).map((g) => (
                    <tr key={`${g.feed} ${g.check}`}>
                      <td>
                        {g.fault}
                        {sender.feeds.length > 1 && (
                          <span className="faint block text-xs">
                            {sender.feeds.find((f) => f.name === g.feed)?.title}
                          </span>
                        )}
                      </td>
                      <td className="n held">
                        <Link
                          className="count"
                          href={`/quarantine?${of}&of=${g.feed}&check=${encodeURIComponent(g.check)}`}
                        >
                          {grouped(g.count)}
                        </Link>
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
              {groups.length > MOST_CAUSES && (
                <p className="mb-4">
                  <Link className="plain" href={`/quarantine?${of}`}>
                    {counted(groups.length - MOST_CAUSES, "more cause")}
                  </Link>
                </p>
              )}
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
