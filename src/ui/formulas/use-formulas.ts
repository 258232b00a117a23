"use client";

import { listFormulas } from "@/routes/formulas.ts";
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import type { NamedFormulas } from "@/core/formula/named.ts";
import type { Plan } from "@/core/plan/document.ts";
import { parameterFault, namedOf, type Parameter } from "@/core/plan/parameters.ts";
import { ask } from "../kit/api.ts";

/** Those that a plan carries and those that are there, the newer ones before the plan's own; and its parameters. */
export function useNamed(plan: Plan): NamedFormulas {
  const library = useFormulas();
  const { formulas, parameters } = plan;
  return useMemo(() => withParameters({ ...formulas, ...library }, parameters ?? []), [formulas, parameters, library]);
}

/** Formulas with those parameters that are sound: one that is being written is asked for by no formula yet. */
function withParameters(formulas: NamedFormulas, parameters: readonly Parameter[]): NamedFormulas {
  const sound = parameters.filter((p) => parameterFault(p) === null);
  return namedOf({ formulas, parameters: sound }) ?? formulas;
}

/** The named formulas that are there, as formulas use them. */
export function useFormulas(): NamedFormulas {
  const { data } = useQuery({
    queryKey: ["formulas"],
    queryFn: () => ask(listFormulas),
  });
  return useMemo(() => Object.fromEntries((data?.formulas ?? []).map((f) => [f.name, f.document])), [data]);
}
