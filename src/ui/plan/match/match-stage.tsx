"use client";

import { comparatorPart } from "@/core/match/compare/index.ts";
import { proposeMatchWithReasons } from "@/core/match/propose.ts";
import { comparedNames, type MatchSection } from "@/core/match/schema.ts";
import type { Plan } from "@/core/plan/document.ts";
import { MatchAgainst } from "../../matches/match-against.tsx";
import { counted } from "../../kit/words.ts";
import { FieldsCompared } from "./fields-compared.tsx";
import { KeptValues } from "./kept-values.tsx";
import { Limits } from "./limits.tsx";
import type { MatchSeen } from "./parts.ts";

interface Props {
  plan: Plan;
  change: (plan: Plan) => void;
  seen: MatchSeen | null;
}

/** What is compared and how, the limits on a drawing of all scores, and whose values are kept. */
export function MatchStage({ plan, change, seen }: Props) {
  const { match } = plan;
  if (!match) {
    const proposed = proposeMatchWithReasons(plan.contract.fields, plan.load.key);
    return (
      <div className="max-w-2xl">
        <p>
          Nothing is compared: records that are one thing in the world stay apart. Say what is compared, and they are
          found: within a delivery, and against what the target or a reference list has.
        </p>
        {proposed ? (
          <>
            <p className="mt-2">From the types and names of the fields, this would be compared:</p>
            <table className="ledger tight mt-2">
              <thead>
                <tr>
                  <th>field</th>
                  <th>by</th>
                  <th>because it is</th>
                </tr>
              </thead>
              <tbody>
                {proposed.section.fields.map((f, i) => (
                  <tr key={f.in.join()}>
                    <td className="font-semibold">{f.in.join(", ")}</td>
                    <td className="whitespace-nowrap">{comparatorPart(f.by).title}</td>
                    <td>{proposed.reasons[i]!.why}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            <button
              type="button"
              className="btn btn-primary mt-3"
              onClick={() => change({ ...plan, match: proposed.section })}
            >
              Compare {counted(proposed.section.fields.length, "field")}
            </button>
            {proposed.left.length > 0 && (
              <p className="faint mt-3 text-sm">
                Not compared: {proposed.left.map(({ in: names, why }) => `${names.join(", ")} (${why})`).join("; ")}.
                Each can be added afterwards.
              </p>
            )}
          </>
        ) : (
          <p className="faint mt-2">The contract has no field that could be compared beside its key.</p>
        )}
      </div>
    );
  }
  const set = (next: MatchSection): void => change({ ...plan, match: next });
  // Numbers of another match say nothing about this one.
  const fits = seen !== null && seen.metrics.fields.join() === comparedNames(match).join();
  return (
    <div className="grid grid-cols-1 gap-6 xl:grid-cols-[minmax(0,1fr)_23rem]">
      <div className="min-w-0">
        <MatchAgainst plan={plan} match={match} set={set} />
        <FieldsCompared plan={plan} match={match} set={set} seen={fits ? seen : null} />
        <KeptValues plan={plan} match={match} set={set} />
        <button
          type="button"
          className="plain mt-4"
          onClick={() => {
            const { match: _, ...rest } = plan;
            change(rest);
          }}
        >
          Compare nothing
        </button>
      </div>
      <Limits match={match} set={set} seen={fits ? seen : null} />
    </div>
  );
}
