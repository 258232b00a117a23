"use client";

import { savePlan } from "@/routes/feeds.ts";
import { useRouter } from "next/navigation";
import { useState } from "react";
import type { Plan } from "@/core/plan/schema.ts";
import { ask, problemOf, type ApiProblem } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";

/** Saves an earlier version again as the newest one; nothing that came since is lost. */
export function GoBack({
  feed,
  version,
  newest,
  document,
}: {
  feed: string;
  version: number;
  newest: number;
  document: Plan;
}) {
  const router = useRouter();
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const [busy, setBusy] = useState(false);
  return (
    <>
      <button
        type="button"
        className="plain"
        disabled={busy}
        title={`Saves it as version ${newest + 1}; the versions since are kept`}
        onClick={() => {
          setBusy(true);
          ask(savePlan, {
            params: { feed },
            body: { document, note: `Back to version ${version}`, from: newest },
          })
            .then(() => {
              router.push(`/feeds/${feed}/versions?from=${newest}&to=${newest + 1}`);
              router.refresh();
            })
            .catch((e: unknown) => setProblem(problemOf(e)))
            .finally(() => setBusy(false));
        }}
      >
        Go back to it
      </button>
      {problem && <ProblemNote problem={problem} />}
    </>
  );
}
