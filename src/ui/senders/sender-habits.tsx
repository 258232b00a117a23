import type { Habit } from "@/store/senders.ts";
import { Link } from "../kit/link.tsx";
import { grouped, readWords } from "../kit/words.ts";
import { dateOrders } from "./owes.ts";

/** How a sender sends, feed by feed, as its last file of each had it. `of`: the sender, as the quarantine is asked for it. */
export function SenderHabits({ habits, of }: { habits: readonly Habit[]; of: string }) {
  return (
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
  );
}
