"use client";

import { askForProfile, getProfile } from "@/routes/deliveries.ts";
import { useEffect, useState } from "react";
import type { ReadSection } from "@/core/plan/document.ts";
import type { StoredProfile } from "@/store/profiles.ts";
import { ask, problemOf, type ApiProblem } from "../kit/api.ts";

const ASK_MS = 400;

/** Asks for a delivery's profile, read in a certain way, and follows it until it is done. */
export function useProfile(
  delivery: number,
  read: ReadSection | null | undefined,
): { profile: StoredProfile | null; problem: ApiProblem | null } {
  const [profile, setProfile] = useState<StoredProfile | null>(null);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const key = read === undefined ? null : JSON.stringify(read);
  useEffect(() => {
    if (key === null) return;
    let over = false;
    let timer: ReturnType<typeof setTimeout>;
    const follow = async (id: number): Promise<void> => {
      const now = await ask(getProfile, { params: { id } });
      if (over) return;
      setProfile(now);
      setProblem(null);
      if (now.state === "queued" || now.state === "running")
        timer = setTimeout(() => void follow(id).catch(fail), ASK_MS);
    };
    const fail = (error: unknown): void => {
      if (!over) setProblem(problemOf(error));
    };
    ask(askForProfile, { params: { id: delivery }, body: { read: JSON.parse(key) as null } })
      .then(({ profile: id }) => follow(id))
      .catch(fail);
    return () => {
      over = true;
      clearTimeout(timer);
    };
  }, [delivery, key]);
  return { profile, problem };
}
