import type { Drift } from "@/core/report/drift.ts";
import { Link } from "../kit/link.tsx";

/** A feed's drift, and the loads that it was met in, the newest first. */
export type DriftOfFeed = Drift & { readonly loads: readonly number[] };

/** How the deliveries of a feed have drifted from its plan, the first twelve ways. */
export function FeedDrift({ drift }: { drift: readonly DriftOfFeed[] }) {
  return (
    <>
      <h2>Drift</h2>
      <table className="ledger mb-4">
        <tbody>
          {drift.slice(0, 12).map((d) => (
            <tr key={`${d.kind} ${d.name}`}>
              <td>
                {d.kind} <b className="break-words">{d.name}</b>
                {d.says && <span className="faint block text-xs">{d.says}</span>}
                <span className="faint block text-xs">
                  {d.loads.length === 1 ? "in load " : `in ${d.loads.length} loads, first `}
                  <Link className="count" href={`/loads/${d.loads.at(-1)}`}>
                    {d.loads.at(-1)}
                  </Link>
                  {d.loads.length > 1 && (
                    <>
                      , last{" "}
                      <Link className="count" href={`/loads/${d.loads[0]}`}>
                        {d.loads[0]}
                      </Link>
                    </>
                  )}
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
