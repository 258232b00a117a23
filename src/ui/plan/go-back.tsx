"use client";

import { useAct } from "../kit/use-act.ts";
import { savePlan } from "@/routes/feeds.ts";
import { useRouter } from "next/navigation";
import type { Plan } from "@/core/plan/document.ts";
import { ask } from "../kit/api.ts";
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
  const { busy, problem, act } = useAct();
  return (
    <>
      <button
        type="button"
        className="plain"
        disabled={busy}
        title={`Saves it as version ${newest + 1}; the versions since are kept`}
        onClick={() =>
          void act(async () => {
            await ask(savePlan, {
              params: { feed },
              body: { document, note: `Back to version ${version}`, from: newest },
            });
            router.push(`/feeds/${feed}/versions?from=${newest}&to=${newest + 1}`);
            router.refresh();
          })
        }
      >
        Go back to it
      </button>
      {problem && <ProblemNote problem={problem} />}
    </>
  );
}
