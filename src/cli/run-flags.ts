import { SieveError } from "@/core/kernel/problem.ts";
import type { RunRequest } from "@/store/load-requests.ts";

/** What a run is given on the command line. */
export interface RunFlags {
  parameter?: string[];
  without?: string[];
  withoutStep?: string[];
  withoutLookUp?: string[];
  withoutTarget?: string[];
  reason?: string;
}

/** Values of parameters, given as `name=value`. Throws `usage`. */
export function parametersOf(given: readonly string[] = []): Record<string, string> {
  return Object.fromEntries(
    given.map((text) => {
      const at = text.indexOf("=");
      if (at > 0) return [text.slice(0, at).trim(), text.slice(at + 1)];
      throw new SieveError("usage", `“${text}” says no value of a parameter.`, { hint: "Give it as name=value." });
    }),
  );
}

/** Throws `usage` for a step that is no number. */
export function runRequestOf(flags: RunFlags): RunRequest {
  const { parameter, without, withoutStep, withoutLookUp, withoutTarget, reason = "" } = flags;
  const steps = withoutStep?.map((text) => {
    if (/^\d{1,3}$/.test(text)) return Number(text);
    throw new SieveError("usage", `“${text}” is not the number of a step.`, { hint: "Steps have numbers from 1." });
  });
  return {
    ...(parameter ? { parameters: parametersOf(parameter) } : {}),
    ...(without || steps || withoutLookUp || withoutTarget
      ? { without: { checks: without, steps, lookUps: withoutLookUp, targets: withoutTarget, reason } }
      : {}),
  };
}
