"use client";

import { useQuery } from "@tanstack/react-query";
import { askForProfile, getProfile } from "@/routes/deliveries.ts";
import type { ReadSection } from "@/core/plan/document.ts";
import type { StoredProfile } from "@/store/profiles.ts";
import { ask, problemOf, type ApiProblem } from "../kit/api.ts";

const ASK_MS = 400;

/** Asks for a delivery's profile, read in a certain way, and follows it until it is done. */
export function useProfile(
  delivery: number,
  read: ReadSection | null | undefined,
): { profile: StoredProfile | null; problem: ApiProblem | null } {
  const asked = useQuery({
    queryKey: ["profile of", delivery, read],
    queryFn: () => ask(askForProfile, { params: { id: delivery }, body: { read: read ? { ...read } : null } }),
    enabled: read !== undefined,
  });
  const id = asked.data?.profile;
  const { data, error } = useQuery({
    queryKey: ["profile", id],
    queryFn: ({ signal }) => ask(getProfile, { params: { id: id! }, signal }),
    enabled: id !== undefined,
    refetchInterval: ({ state }) =>
      state.data?.state === "queued" || state.data?.state === "running" ? ASK_MS : false,
  });
  const wrong = asked.error ?? error;
  return { profile: data ?? null, problem: wrong ? problemOf(wrong) : null };
}
