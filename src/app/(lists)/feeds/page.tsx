import { listFeeds, planInForce } from "@/store/feeds.ts";
import { countHeld } from "@/store/held.ts";
import { listLoads } from "@/store/loads.ts";
import { Chains } from "@/ui/feeds/chains.tsx";
import { MiniSift } from "@/ui/loads/sift.tsx";
import { stateWord } from "@/ui/loads/load-state.tsx";
import { Link } from "@/ui/kit/link.tsx";
import { grouped, moment } from "@/ui/kit/words.ts";
import { db } from "../../server.ts";

export const metadata = { title: "Feeds" };

export default async function Feeds() {
  const now = new Date();
  const feeds = await Promise.all(
    (await listFeeds(db())).map(async (feed) => ({
      ...feed,
      plan: await planInForce(db(), feed.name).catch(() => null),
      held: await countHeld(db(), { feed: feed.name }),
      last: (await listLoads(db(), { feed: feed.name, limit: 1 }))[0],
    })),
  );
  return (
    <>
      <div className="mb-3 flex items-end justify-between">
        <h1>{feeds.length === 1 ? "1 feed" : `${feeds.length} feeds`}</h1>
        <Link className="btn btn-primary" href="/feeds/new">
          New feed from files…
        </Link>
      </div>
      {feeds.length === 0 ? (
        <p>
          Feeds will be listed here. Make one from files that came, or from a plan:{" "}
          <code className="raw">npm run sieve -- feed plan.json --title “…”</code>
        </p>
      ) : (
        <table className="ledger">
          <thead>
            <tr>
              <th>feed</th>
              <th>what it is</th>
              <th className="n">fields</th>
              <th className="n">plan version</th>
              <th>last load</th>
              <th>sift</th>
              <th>state</th>
              <th className="n">held now</th>
            </tr>
          </thead>
          <tbody>
            {feeds.map((f) => (
              <tr key={f.name}>
                <td>
                  <Link className="plain" href={`/feeds/${f.name}`}>
                    {f.title}
                  </Link>
                </td>
                <td className="faint">{f.about}</td>
                <td className="n">{f.plan?.document.contract.fields.length ?? ""}</td>
                <td className="n">
                  {f.plan ? (
                    <Link className="count" href={`/feeds/${f.name}/plan`}>
                      {f.plan.version}
                    </Link>
                  ) : (
                    <Link className="plain whitespace-nowrap" href={`/feeds/${f.name}/begin`}>
                      none yet
                    </Link>
                  )}
                </td>
                <td>
                  {f.last ? (
                    <Link
                      className="count"
                      href={`/loads/${f.last.id}`}
                    >{`${f.last.id}, ${moment(f.last.askedAt, now)}`}</Link>
                  ) : (
                    "none yet"
                  )}
                </td>
                <td>
                  <MiniSift strata={f.last?.sift ?? null} />
                </td>
                <td className={f.last ? stateWord(f.last.state).className : ""}>
                  {f.last ? stateWord(f.last.state).word : ""}
                </td>
                <td className="n held font-bold">
                  {f.held > 0 && (
                    <Link className="count" href={`/quarantine?feed=${f.name}`}>
                      {grouped(f.held)}
                    </Link>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Chains feeds={feeds.map((f) => ({ ...f, plan: f.plan?.document ?? null }))} now={now} />
    </>
  );
}
