import { percent } from "@/core/gate/usual.ts";
import type { Sender } from "@/store/senders.ts";
import { Link } from "../kit/link.tsx";
import { grouped, moment } from "../kit/words.ts";
import { owesWords, shareHeld } from "./owes.ts";

/** Who delivers, first those who owe most. */
export function SenderList({ senders, now }: { senders: readonly Sender[]; now: Date }) {
  // One scale for all, so that bars of different senders can be compared.
  const most = Math.max(0.01, ...senders.flatMap((s) => s.loads.map(shareOf)));
  return (
    <table className="ledger rows">
      <thead>
        <tr>
          <th>sender</th>
          <th>feeds</th>
          <th className="n">deliveries</th>
          <th>last came</th>
          <th>share held, last loads</th>
          <th className="n">of all</th>
          <th className="n">held now</th>
          <th>with them</th>
          <th>contact</th>
        </tr>
      </thead>
      <tbody>
        {senders.map((s) => {
          const share = shareHeld(s.loads);
          return (
            <tr key={s.name}>
              <td className="font-semibold">
                {s.name === "" ? (
                  <span className="faint font-normal">nobody has said who</span>
                ) : (
                  <Link href={`/senders/${encodeURIComponent(s.name)}`}>{s.name}</Link>
                )}
              </td>
              <td className="max-w-56 truncate" title={s.feeds.map((f) => f.title).join(", ")}>
                {s.feeds.map((f) => f.title).join(", ")}
              </td>
              <td className="n">{grouped(s.deliveries)}</td>
              <td className="whitespace-nowrap">{moment(new Date(s.lastCame), now)}</td>
              <td>
                <Shares loads={s.loads} most={most} />
              </td>
              <td className="n">{share !== null && percent(share)}</td>
              <td className="n held">
                {s.held > 0 && (
                  <Link className="count" href={`/quarantine?sender=${encodeURIComponent(s.name)}`}>
                    {grouped(s.held)}
                  </Link>
                )}
              </td>
              <td className={s.overdue ? "font-semibold" : ""}>{s.withThem > 0 && owesWords(s, now)}</td>
              <td className="max-w-40 truncate">{s.contact || s.address}</td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

const BAR = 7;
const TALL = 14;

const shareOf = (l: Sender["loads"][number]): number => (l.read === 0 ? 0 : l.held / l.read);

/** The share held, a bar for each load, the newest last; `most`: the share of the highest bar that there may be. */
function Shares({ loads, most }: { loads: Sender["loads"]; most: number }) {
  const shares = loads.map(shareOf);
  const words = shares.map((s) => percent(s)).join(", ");
  return (
    <svg width={BAR * 12} height={TALL} role="img" aria-label={`Share held by load: ${words || "none"}`}>
      <line x1="0" x2={BAR * 12} y1={TALL - 0.5} y2={TALL - 0.5} stroke="var(--rule)" />
      {shares.map((s, i) => (
        <rect
          key={loads[i]!.id}
          x={i * BAR}
          width={BAR - 2}
          y={TALL - Math.max(1, (TALL * s) / most)}
          height={Math.max(1, (TALL * s) / most)}
          fill="var(--plum)"
        >
          <title>{`Load ${loads[i]!.id}: ${percent(s)}`}</title>
        </rect>
      ))}
    </svg>
  );
}
