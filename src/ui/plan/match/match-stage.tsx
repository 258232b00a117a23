"use client";

import { proposeMatch } from "@/core/match/propose.ts";
import type { MatchSection } from "@/core/match/schema.ts";
import type { Plan } from "@/core/plan/schema.ts";
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
    const proposed = proposeMatch(plan.contract.fields, plan.load.key);
    return (
      <div className="max-w-2xl">
        <p>
          Nothing is compared: records that are one thing in the world stay apart. Say what is compared, and they are
          found: within a delivery, and against what the target or a reference list has.
        </p>
        {proposed ? (
          <>
            <p className="mt-2">
              From the types and names of the fields, this would be compared:{" "}
              {proposed.fields.map((f) => f.in.join(" and ")).join(", ")}.
            </p>
            <button type="button" className="btn btn-primary mt-3" onClick={() => change({ ...plan, match: proposed })}>
              Compare {counted(proposed.fields.length, "field")}
            </button>
          </>
        ) : (
          <p className="faint mt-2">The contract has no field that could be compared beside its key.</p>
        )}
      </div>
    );
  }
  const set = (next: MatchSection): void => change({ ...plan, match: next });
  // Numbers of another match say nothing about this one.
  const fits = seen !== null && seen.metrics.fields.join() === match.fields.map((f) => f.in.join(" + ")).join();
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
