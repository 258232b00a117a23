"use client";

import { listFormulas } from "@/routes/formulas.ts";
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import type { NamedFormulas } from "@/core/formula/named.ts";
import type { Plan } from "@/core/plan/document.ts";
import { ask } from "../kit/api.ts";

/** Those that a plan carries and those that are there, the newer ones before the plan's own. */
export function useNamed(plan: Plan): NamedFormulas {
  const library = useFormulas();
  const own = plan.formulas;
  return useMemo(() => ({ ...own, ...library }), [own, library]);
}

/** The named formulas that are there, as formulas use them. */
export function useFormulas(): NamedFormulas {
  const { data } = useQuery({
    queryKey: ["formulas"],
    queryFn: () => ask(listFormulas),
  });
  return useMemo(() => Object.fromEntries((data?.formulas ?? []).map((f) => [f.name, f.document])), [data]);
}
