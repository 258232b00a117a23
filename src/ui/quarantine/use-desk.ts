"use client";

import { useRouter } from "next/navigation";
import { useCallback, useMemo, useReducer, type Dispatch } from "react";
import type { Compiled } from "@/core/course/compiled.ts";
import type { HeldRecord } from "@/store/held.ts";
import { discardHeld, releaseHeld, takeBackHeld } from "@/routes/quarantine.ts";
import { ask, type ApiProblem } from "../kit/api.ts";
import { useAct } from "../kit/use-act.ts";
import { counted } from "../kit/words.ts";
import { newDesk, nextDesk, type Desk, type DeskEvent } from "./desk.ts";
import { idOf, stayedWords, verdictOf, waitWords } from "./held.ts";

/** The desk of the quarantine with what the server does for it. */
export interface DeskWork {
  readonly desk: Desk;
  readonly tell: Dispatch<DeskEvent>;
  /** By record, whether it would pass as it is mended, and what is wrong with it otherwise. */
  readonly verdicts: ReadonlyMap<string, ReturnType<typeof verdictOf>>;
  readonly passes: (h: HeldRecord) => boolean;
  readonly busy: boolean;
  readonly problem: ApiProblem | null;
  readonly release: (which: readonly HeldRecord[]) => Promise<void>;
  readonly discard: (which: readonly HeldRecord[], reason: string) => Promise<void>;
  /** Takes back what was done last. */
  readonly takeBack: () => Promise<void>;
  /** The page of records is asked for again. */
  readonly refresh: () => void;
}

/** `page`: the records as they came; `over`: they are overtaken, and released over what is newer. */
export function useDesk(
  page: readonly HeldRecord[],
  { compiled, target, over }: { compiled: Compiled | null; target: string; over: boolean },
): DeskWork {
  const router = useRouter();
  const [desk, tell] = useReducer(nextDesk, page, newDesk);
  const { busy, problem, act } = useAct();
  if (desk.awaited !== null && desk.awaited !== page) tell({ does: "page", page });
  const { records, edits, said } = desk;

  const verdicts = useMemo(
    () => new Map(compiled ? records.map((h) => [idOf(h), verdictOf(h, compiled, edits[idOf(h)])]) : []),
    [records, compiled, edits],
  );
  const passes = useCallback((h: HeldRecord): boolean => verdicts.get(idOf(h))?.passes ?? false, [verdicts]);

  const release = useCallback(
    async (which: readonly HeldRecord[]): Promise<void> => {
      if (which.length === 0) return;
      tell({ does: "say", said: null });
      await act(async () => {
        const answer = await ask(releaseHeld, {
          body: {
            records: which.map((h) => ({ load: h.load, record: h.record, values: edits[idOf(h)] ?? {} })),
            overtaken: over,
          },
        });
        const stayed = new Map(answer.stayed.map((s) => [idOf(s), stayedWords(s)]));
        // What is overtaken, or was ended by somebody else meanwhile, is not in this list any more.
        const moved = new Set(answer.stayed.filter((s) => s.overtaken || s.ended).map(idOf));
        const where = which.length === 1 && answer.released === 1 ? ` into ${target}` : "";
        const left = stayed.size > 0 ? `; ${stayed.size} stayed: ${[...stayed.values()][0]}` : "";
        tell({
          does: "gone",
          gone: new Set(which.map(idOf).filter((id) => !stayed.has(id) || moved.has(id))),
          stayed: Object.fromEntries(stayed),
          said: { text: `Released ${counted(answer.released, "record")}${where}${waitWords(answer)}${left}.` },
        });
        router.refresh();
      });
    },
    [act, edits, target, router, over],
  );

  const discard = async (which: readonly HeldRecord[], reason: string): Promise<void> => {
    await act(async () => {
      const undo = which.map((h) => ({ load: h.load, record: h.record }));
      const { discarded } = await ask(discardHeld, { body: { records: undo, reason } });
      tell({
        does: "gone",
        gone: new Set(undo.map(idOf)),
        stayed: desk.stayed,
        said: { text: `Discarded ${counted(discarded, "record")}.`, undo },
      });
      router.refresh();
    });
  };

  const takeBack = async (): Promise<void> => {
    await act(
      async () => {
        await ask(takeBackHeld, { body: { records: [...(said?.undo ?? [])] } });
        window.location.reload();
      },
      { leaves: true },
    );
  };

  return { desk, tell, verdicts, passes, busy, problem, release, discard, takeBack, refresh: () => router.refresh() };
}
