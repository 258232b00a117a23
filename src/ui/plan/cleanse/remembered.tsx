"use client";

import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { mendsForSteps, withMends, type MendMade } from "@/core/mend/remembered.ts";
import type { Plan } from "@/core/plan/document.ts";
import { mendsOfFeed } from "@/routes/feeds.ts";
import { ask } from "../../kit/api.ts";
import { counted, grouped } from "../../kit/words.ts";

/** Mends that are shown one by one. */
const SHOWN = 12;

/** Mends that people have made again and again, each of which can become a step that makes it from then on. */
export function RememberedMends({ plan, change }: { plan: Plan; change: (plan: Plan) => void }) {
  const { data } = useQuery({
    queryKey: ["mends", plan.feed],
    queryFn: () => ask(mendsOfFeed, { params: { feed: plan.feed } }),
  });
  const mends = useMemo(() => {
    try {
      return data ? mendsForSteps(plan, data.mends) : [];
    } catch {
      // A plan that is being typed has a fault, which the page says; it makes nothing yet.
      return [];
    }
  }, [plan, data]);
  if (mends.length === 0) return null;
  const records = mends.reduce((n, m) => n + m.records, 0);
  const take = (which: readonly MendMade[]): void => change(withMends(plan, which));
  return (
    <section aria-label="Mended by hand again and again" className="mt-5">
      <div className="flex items-baseline justify-between gap-3">
        <h2>Mended by hand again and again</h2>
        {mends.length > 1 && (
          <button type="button" className="plain text-sm whitespace-nowrap" onClick={() => take(mends)}>
            Make all {grouped(mends.length)} steps
          </button>
        )}
      </div>
      <p className="faint text-sm">
        {counted(records, "held record")} needed a hand for {mends.length === 1 ? "it" : "them"} so far; as{" "}
        {mends.length === 1 ? "a step it mends itself" : "steps they mend themselves"} from the next load on.
      </p>
      <table className="ledger tight">
        <tbody>
          {mends.slice(0, SHOWN).map((m) => (
            <tr key={`${m.field} ${m.from}`}>
              <td className="faint max-w-28 truncate">{m.field}</td>
              <td className="max-w-56 truncate">
                <span className="raw held">{m.from}</span> <span className="faint">→</span>{" "}
                <span className="raw changed font-semibold">{m.to}</span>
              </td>
              <td className="n whitespace-nowrap" title={`in ${counted(m.loads, "load")}`}>
                {counted(m.records, "record")}
              </td>
              <td className="text-right">
                <button
                  type="button"
                  className="plain"
                  aria-label={`Make a step of ${m.from} to ${m.to} in ${m.field}`}
                  onClick={() => take([m])}
                >
                  make a step
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {mends.length > SHOWN && <p className="faint text-xs">and {counted(mends.length - SHOWN, "other mend")}</p>}
    </section>
  );
}
