"use client";

import { useMutation } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { problemOf, type ApiProblem } from "./api.ts";

/**
 * A change that a person asks for: whether it is under way, and what was wrong with the last one, to
 * be shown where it was asked for. `act` does the work and gives whether it went well; where the work
 * leaves the page, nothing more can be asked for in the meantime.
 */
export function useAct(): {
  busy: boolean;
  problem: ApiProblem | null;
  setProblem: (problem: ApiProblem | null) => void;
  act: (work: () => Promise<void>, how?: { leaves: boolean }) => Promise<boolean>;
} {
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const [leaving, setLeaving] = useState(false);
  const { mutateAsync, isPending } = useMutation({ mutationFn: (work: () => Promise<void>) => work() });
  const act = useCallback(
    async (work: () => Promise<void>, { leaves } = { leaves: false }): Promise<boolean> => {
      setProblem(null);
      try {
        await mutateAsync(work);
        setLeaving(leaves);
        return true;
      } catch (error) {
        setProblem(problemOf(error));
        return false;
      }
    },
    [mutateAsync],
  );
  return { busy: isPending || leaving, problem, setProblem, act };
}
