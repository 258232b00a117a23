"use client";

import { useRouter } from "next/navigation";
import { afterWords } from "@/core/plan/after.ts";
import { doAfterAgain } from "@/routes/loads.ts";
import type { AfterLoad } from "@/store/after.ts";
import { ask } from "../kit/api.ts";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";
import { afterState } from "./after-words.ts";

/** What was done after a load, with what came of it; what failed can be done again. */
export function LoadAfter({ load, after, now }: { load: number; after: readonly AfterLoad[]; now: string }) {
  const router = useRouter();
  const { busy, problem, act } = useAct();
  if (after.length === 0) return null;
  return (
    <>
      <h2 className="mt-4">After the load</h2>
      {problem && <ProblemNote problem={problem} />}
      <ul>
        {after.map((a) => (
          <li key={`${a.outcome} ${a.n}`} className="py-0.5">
            <span className={a.state === "failed" ? "held font-bold" : a.state === "waiting" ? "faint" : ""}>
              {afterState(a, new Date(now))}
            </span>
            : {afterWords(a.action)}
            {a.outcome === "stopped" && <span className="faint"> (when it had stopped)</span>}
            {a.state !== "waiting" && (
              <button
                type="button"
                className="plain ml-3"
                disabled={busy}
                onClick={() =>
                  void act(async () => {
                    await ask(doAfterAgain, { params: { id: load }, body: { outcome: a.outcome, n: a.n } });
                    router.refresh();
                  })
                }
              >
                {a.state === "failed" ? "try again" : "do it again"}
              </button>
            )}
            {a.answer !== "" && <p className="faint max-w-prose pl-4 text-sm break-words">{a.answer}</p>}
          </li>
        ))}
      </ul>
    </>
  );
}
