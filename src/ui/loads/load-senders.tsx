import type { SenderOfLoad } from "@/store/senders-of-load.ts";
import { Link } from "../kit/link.tsx";
import { grouped, percentOf } from "../kit/words.ts";

/** Senders that are listed, those with most records. */
const MOST = 20;

/** Whose records a load had, where they are of more than one sender. */
export function LoadSenders({ load, senders }: { load: number; senders: readonly SenderOfLoad[] }) {
  if (senders.length < 2) return null;
  return (
    <div className="mt-4">
      <h2>Whose records they are</h2>
      <table className="ledger tight">
        <thead>
          <tr>
            <th>sender</th>
            <th className="n">read</th>
            <th className="n">held</th>
            <th className="n">held %</th>
          </tr>
        </thead>
        <tbody>
          {senders.slice(0, MOST).map(({ sender, read, held }) => (
            <tr key={sender}>
              <td>
                {sender === "" ? (
                  <span className="faint">nobody has said</span>
                ) : (
                  <Link className="underline" href={`/senders/${encodeURIComponent(sender)}`}>
                    {sender}
                  </Link>
                )}
              </td>
              <td className="n">{grouped(read)}</td>
              <td className="n">
                {held === 0 ? (
                  "0"
                ) : (
                  <Link className="count held" href={`/quarantine?load=${load}&sender=${encodeURIComponent(sender)}`}>
                    {grouped(held)}
                  </Link>
                )}
              </td>
              <td className="n">{percentOf(held, read)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {senders.length > MOST && <p className="faint">and {grouped(senders.length - MOST)} more</p>}
    </div>
  );
}
