import type { Sending } from "@/store/senders.ts";
import { destinationWords } from "@/core/write/files/destination.ts";
import { grouped, moment } from "../kit/words.ts";

/** What came of a sending, in words; empty where it went. */
function outcome({ endedAt, problem }: Sending): string {
  if (problem !== "") return `Nothing went. ${problem}`;
  return endedAt ? "" : "It has not ended: some of it may be there.";
}

/** What went to a sender lately, or did not. */
export function SentList({ sendings, now }: { sendings: readonly Sending[]; now: string }) {
  const today = new Date(now);
  return (
    <table className="ledger">
      <thead>
        <tr>
          <th>sent</th>
          <th>to</th>
          <th className="n">files</th>
          <th className="n">records</th>
        </tr>
      </thead>
      <tbody>
        {sendings.map((s) => (
          <tr key={s.id}>
            <td className="whitespace-nowrap">
              {moment(new Date(s.beganAt), today)}
              <span className="faint block text-xs">by {s.by}</span>
            </td>
            <td className="[overflow-wrap:anywhere]">
              {destinationWords(s.destination)}
              {outcome(s) !== "" && <span className="held block">{outcome(s)}</span>}
            </td>
            <td className="n">{s.files > 0 && grouped(s.files)}</td>
            <td className="n">{s.records > 0 && grouped(s.records)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
