import type { HeldGroup } from "@/store/held.ts";
import { Link } from "../kit/link.tsx";
import { counted, grouped } from "../kit/words.ts";

/** Causes that are shown beside what is said of a sender. */
const MOST_CAUSES = 7;

/** What is wrong with what is held of a sender, the most frequent first. `of`: the sender, as the quarantine is asked for it. */
export function SenderCauses({
  groups,
  feeds,
  of,
}: {
  groups: readonly HeldGroup[];
  feeds: readonly { readonly name: string; readonly title: string }[];
  of: string;
}) {
  return (
    <>
      <table className="ledger mb-1">
        <tbody>
          {groups.slice(0, MOST_CAUSES).map((g) => (
            <tr key={`${g.feed} ${g.check}`}>
              <td>
                {g.fault}
                {feeds.length > 1 && (
                  <span className="faint block text-xs">{feeds.find((f) => f.name === g.feed)?.title}</span>
                )}
              </td>
              <td className="n held">
                <Link className="count" href={`/quarantine?${of}&of=${g.feed}&check=${encodeURIComponent(g.check)}`}>
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
  );
}
