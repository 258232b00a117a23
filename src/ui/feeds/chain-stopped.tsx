"use client";

import { useRouter } from "next/navigation";
import type { ChainStop } from "@/core/plan/chain.ts";
import { loadDelivery } from "@/routes/deliveries.ts";
import { ask } from "../kit/api.ts";
import { Link } from "../kit/link.tsx";
import { ProblemNote } from "../kit/problem-note.tsx";
import { useAct } from "../kit/use-act.ts";

/** Where a chain has stopped, and how it goes on from there: the delivery of that load, by the plan in force. */
export function ChainStopped({
  stop: { load, delivery, why },
  title,
  word,
}: {
  stop: ChainStop;
  title: string;
  word: string;
}) {
  const router = useRouter();
  const { busy, problem, act } = useAct();
  const again = (): Promise<boolean> =>
    act(
      async () => {
        const { load: asked } = await ask(loadDelivery, { params: { id: delivery }, body: { again: true } });
        router.push(`/loads/${asked}`);
        router.refresh();
      },
      { leaves: true },
    );
  const opened = (
    <Link className="underline" href={`/loads/${load}`}>
      load {load}
    </Link>
  );
  return (
    <div className="mb-4 border-l-4 border-[var(--ochre)] px-3 py-1" role="status">
      {why === "ended" ? (
        <>
          It stopped at {title}: {opened} is {word}. Look at it there, or once what was wrong is mended:{" "}
          <button type="button" className="plain" disabled={busy} onClick={() => void again()}>
            go on from here
          </button>
        </>
      ) : (
        <>
          Since {opened} of {title} the next feed has had no load. What was done after it is said on its page, where it
          can be done again.
        </>
      )}
      {problem && <ProblemNote problem={problem} />}
    </div>
  );
}
