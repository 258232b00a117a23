"use client";

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Plan } from "@/core/plan/document.ts";
import { tryPlan } from "@/routes/feeds.ts";
import { loadReport } from "@/routes/loads.ts";
import { ask } from "../kit/api.ts";
import { useProgress } from "../kit/use-progress.ts";
import type { MatchSeen } from "./match/parts.ts";

/** A plan that is tried, or was. */
export interface Trial {
  readonly load: number;
  /** A trial of the version in force on the same delivery. */
  readonly against: number;
  readonly done: boolean;
  readonly of: Plan;
}

export interface TrialWork {
  readonly trial: Trial | null;
  readonly progress: ReturnType<typeof useProgress>;
  /** What the trial, or else the newest load, found to be one. */
  readonly seen: MatchSeen | null;
  readonly begin: (plan: Plan) => Promise<void>;
  readonly leave: () => void;
}

/** Tries plans of a feed on its latest delivery, one at a time. `matches`: what the newest load found to be one. */
export function useTrial(feed: string, matches: MatchSeen | null): TrialWork {
  const [trial, setTrial] = useState<Trial | null>(null);
  /** Its panel is closed; what it found to be one is still the newest that is known. */
  const [left, setLeft] = useState(false);
  const progress = useProgress(trial && !trial.done ? trial.load : null, () =>
    setTrial((t) => t && { ...t, done: true }),
  );
  // A trial draws the scores anew.
  const { data } = useQuery({
    queryKey: ["report", trial?.load],
    queryFn: () => ask(loadReport, { params: { id: trial!.load } }),
    enabled: trial !== null && trial.done && trial.of.match !== undefined,
  });
  const drawn =
    trial && data?.matches ? { load: trial.load, metrics: data.matches, decided: matches?.decided ?? [] } : null;
  return {
    trial: left ? null : trial,
    progress,
    seen: drawn ?? matches,
    begin: async (plan) => {
      const asked = await ask(tryPlan, { params: { feed }, body: { document: plan } });
      setLeft(false);
      setTrial({ ...asked, done: false, of: plan });
    },
    leave: () => setLeft(true),
  };
}
