"use client";

import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { likenessWords, type LookUpLimits } from "@/core/lookup/limits.ts";
import { lookUpFields, type LookUp } from "@/core/lookup/schema.ts";
import type { Plan } from "@/core/plan/document.ts";
import { lookUpOfDelivery } from "@/routes/feeds.ts";
import { ask, problemOf } from "../../kit/api.ts";
import { ProblemNote } from "../../kit/problem-note.tsx";
import { counted } from "../../kit/words.ts";
import { byScore, hasKey, repeatedWords, withKey } from "@/core/map/with-look-up.ts";

/** What the records of the latest delivery say about a look-up: by which fields they find their entries, and how near they are to them. */
export function OfDelivery({
  plan,
  lookUp,
  set,
  fresh,
}: {
  plan: Plan;
  lookUp: LookUp;
  set: (lookUp: LookUp) => void;
  fresh: boolean;
}) {
  const [asked, setAsked] = useState(fresh);
  const { data, error, isFetching } = useQuery({
    queryKey: [
      "look-up of the delivery",
      plan.feed,
      plan.read,
      plan.cleanse,
      lookUp.list,
      lookUp.file,
      lookUp.how,
      lookUp.by,
    ],
    // Other look-ups, and checks of what they bring, may be in the midst of being written, and change nothing here.
    queryFn: () => {
      const { lookup: _, ...rest } = plan;
      const document = { ...rest, check: [], gates: [] };
      return ask(lookUpOfDelivery, { params: { feed: plan.feed }, body: { document, lookUp } });
    },
    enabled: asked && lookUp.how !== "range",
    staleTime: 60_000,
    retry: false,
    placeholderData: (before) => before,
  });
  const filled = (plan.lookup ?? []).filter((l) => l.name !== lookUp.name).flatMap((l) => lookUpFields(l).fills);
  // What has just been put there takes the proposal once; what somebody has set is left to them.
  const take = useRef(fresh);
  useEffect(() => {
    if (!data || !take.current) return;
    take.current = false;
    if (data.by.length > 0) set(withKey(lookUp, data, filled));
  }, [data, lookUp, set, filled]);
  if (lookUp.how === "range") return null;
  return (
    <>
      <span className="faint pt-1">the records say</span>
      <div className="max-w-[46rem] pt-1">
        {!asked && (
          <button type="button" className="plain" onClick={() => setAsked(true)}>
            ask the latest delivery
          </button>
        )}
        {isFetching && !data && <span className="faint">Its records are held against the list …</span>}
        {error && <ProblemNote problem={problemOf(error)} />}
        {data && (
          <>
            {data.by.length === 0 && (
              <p>
                No field has values in common with a column of the list, in {counted(data.records, "record")} of the
                latest delivery.
              </p>
            )}
            {data.by.map((p) => (
              <p key={p.field}>{p.why}.</p>
            ))}
            {data.other && !hasKey(lookUp, data) && <p className="faint">Next best: {data.other.why}.</p>}
            {repeatedWords(data.repeated) && <p>{repeatedWords(data.repeated)}</p>}
            {data.by.length > 0 && !hasKey(lookUp, data) && (
              <button type="button" className="plain" onClick={() => set(withKey(lookUp, data, filled))}>
                find entries by {data.by.map((p) => p.field).join(" and ")}
              </button>
            )}
            {data.limits && (
              <p>
                {lookUp.how === "exact" && "By score: "}
                {likenessWords(data.limits)}{" "}
                {data.limits.right !== null && (
                  <TakeLimits limits={data.limits} lookUp={lookUp} take={() => set(byScore(lookUp, data))} />
                )}
              </p>
            )}
          </>
        )}
      </div>
    </>
  );
}

function TakeLimits({ limits, lookUp, take }: { limits: LookUpLimits; lookUp: LookUp; take: () => void }) {
  if (lookUp.how === "scored" && limits.least === lookUp.least && limits.lead === lookUp.lead) return null;
  return (
    <button type="button" className="plain" onClick={take}>
      {lookUp.how === "scored" ? "take these limits" : "look up by score"}
    </button>
  );
}
