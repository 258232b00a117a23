"use client";

import { useRouter } from "next/navigation";
import { useCallback, useReducer, useRef, useState, type Dispatch } from "react";
import type { Decision } from "@/core/match/resolve.ts";
import { decidePairs, listPairs, withdrawPairs } from "@/routes/matches.ts";
import type { AskedPair, PairFilter } from "@/store/matches.ts";
import { ask, problemOf, type ApiProblem } from "../kit/api.ts";
import { settledWords } from "./pair-words.ts";
import { newPairs, nextPairs, type Pairs, type PairsEvent } from "./pairs.ts";

/** What was decided at once, to be taken back at once. */
interface Done {
  readonly pairs: readonly AskedPair[];
  readonly text: string;
}

/** Pairs with what the server does about them. */
export interface PairsWork {
  readonly state: Pairs;
  readonly tell: Dispatch<PairsEvent>;
  readonly problem: ApiProblem | null;
  /** What was decided last. */
  readonly last: Done | undefined;
  /** Whether the server has not answered to all yet. */
  readonly busy: boolean;
  readonly decide: (which: readonly AskedPair[], decision: Decision) => void;
  readonly takeBack: (which: readonly AskedPair[]) => void;
  /** Takes back what was decided last. */
  readonly undo: () => void;
}

/** Decisions go to the server one after the other, however fast they are taken; the next pair is shown at once. */
export function usePairs(first: readonly AskedPair[], filter: PairFilter): PairsWork {
  const router = useRouter();
  const [state, tell] = useReducer(nextPairs, first, newPairs);
  const [done, setDone] = useState<readonly Done[]>([]);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const [waiting, setWaiting] = useState(0);
  /** The same as `done`, for what runs later than it was asked for. */
  const taken = useRef<readonly Done[]>([]);
  const remember = useCallback((list: readonly Done[]): void => {
    taken.current = list;
    setDone(list);
  }, []);
  const queue = useRef<Promise<void>>(Promise.resolve());
  const inTurn = useCallback(
    (work: () => Promise<void>, failed: () => void = () => {}): void => {
      setWaiting((n) => n + 1);
      queue.current = queue.current
        .then(work)
        .then(() => router.refresh())
        .catch((error: unknown) => {
          failed();
          setProblem(problemOf(error));
        })
        .finally(() => setWaiting((n) => n - 1));
    },
    [router],
  );

  const decide = useCallback(
    (which: readonly AskedPair[], decision: Decision): void => {
      if (which.length === 0) return;
      setProblem(null);
      tell({ does: "decide", which });
      inTurn(
        async () => {
          const decisions = which.map((p) => ({ pair: p.id, decision }));
          const { settled } = await ask(decidePairs, { body: { decisions } });
          remember([...taken.current, { pairs: which, text: settledWords(which.length, decision, settled) }]);
          tell({ does: "settled", records: settled.filter((s) => s.state !== "waiting") });
        },
        // What comes back can only put pairs in again.
        () => tell({ does: "failed", which }),
      );
    },
    [inTurn, remember],
  );

  const withdraw = useCallback(
    async (which: readonly AskedPair[]): Promise<void> => {
      await ask(withdrawPairs, { body: { pairs: which.map((p) => p.id) } });
      const { pairs } = await ask(listPairs, { query: filter });
      tell({ does: "again", pairs, chosen: which[0]!.id });
    },
    [filter],
  );

  // In its turn as well: what is undone is the last decision when all before it have come through.
  const undo = useCallback((): void => {
    inTurn(async () => {
      const last = taken.current.at(-1);
      if (!last) return;
      remember(taken.current.slice(0, -1));
      await withdraw(last.pairs);
    });
  }, [inTurn, remember, withdraw]);

  return {
    state,
    tell,
    problem,
    last: done.at(-1),
    busy: waiting > 0,
    decide,
    takeBack: (which) => inTurn(() => withdraw(which)),
    undo,
  };
}
