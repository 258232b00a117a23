import type { PlanVersion } from "@/store/feeds.ts";
import { Link } from "../kit/link.tsx";
import { moment } from "../kit/words.ts";

type ListedVersion = Omit<PlanVersion, "document"> & { readonly loads: number };

/** The versions of a feed's plan, the newest first, each with what it was made for and how many loads ran by it. */
export function PlanVersions({ feed, plans, now }: { feed: string; plans: readonly ListedVersion[]; now: Date }) {
  return (
    <>
      <div className="flex items-baseline justify-between">
        <h2>Plan versions</h2>
        {plans.length > 1 && (
          <Link className="plain text-sm" href={`/feeds/${feed}/versions`}>
            what changed
          </Link>
        )}
      </div>
      <table className="ledger">
        <thead>
          <tr>
            <th className="n">version</th>
            <th>note</th>
            <th className="n">loads</th>
          </tr>
        </thead>
        <tbody>
          {plans.map((p) => (
            <tr key={p.id}>
              <td className="n align-top">
                <Link className="plain" href={`/feeds/${feed}/plan?version=${p.version}`}>
                  {p.version}
                </Link>
              </td>
              <td>
                {(p.version ?? 0) > 1 ? (
                  <Link href={`/feeds/${feed}/versions?from=${p.version! - 1}&to=${p.version}`} title="What it changed">
                    {p.note}
                  </Link>
                ) : (
                  p.note
                )}
                <span className="block text-xs faint">
                  {p.madeBy}, {moment(p.madeAt, now)}
                </span>
              </td>
              <td className="n align-top">{p.loads}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
