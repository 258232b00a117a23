"use client";

import { useQuery } from "@tanstack/react-query";
import type { Plan } from "@/core/plan/schema.ts";
import type { PartPreview } from "@/engine/preview.ts";
import { api } from "./api.ts";

/** Records that are looked at while a plan is being changed. */
const SAMPLE = 500;

export interface Sample {
  readonly columns: readonly string[];
  readonly rows: readonly (readonly string[])[];
  /** Where each stands in its file. */
  readonly lines: readonly number[];
}

/** The first records of the latest delivery as they came; null until there are some. */
export function useSample(plan: Plan, delivery: number | null): Sample | null {
  const read = Object.fromEntries(Object.entries(plan.read).filter(([, v]) => v !== "auto"));
  const { data } = useQuery({
    queryKey: ["sample", delivery, read],
    queryFn: async (): Promise<Sample | null> => {
      const { parts } = await api<{ parts: PartPreview[] }>(`/api/deliveries/${delivery}/preview`, {
        json: { read, most: SAMPLE },
      });
      const part = parts.find((p) => p.rows.length > 0);
      const sound = part?.rows.filter((r) => r.cells !== null) ?? [];
      return part ? { columns: part.columns, rows: sound.map((r) => r.cells!), lines: sound.map((r) => r.line) } : null;
    },
    enabled: delivery !== null,
    staleTime: 60_000,
  });
  return data ?? null;
}
