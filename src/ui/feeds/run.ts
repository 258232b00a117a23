import type { Outcome } from "@/core/kernel/ledger.ts";
import type { DeliveryRow, RunOutcome } from "@/store/runs.ts";
import { counted, grouped } from "../kit/words.ts";

/** What a run is given, while it is put together. */
export interface Telling {
  readonly chosen: ReadonlySet<number>;
  /** Values that differ from the plan's, by parameter. */
  readonly parameters: Readonly<Record<string, string>>;
  readonly checks: ReadonlySet<string>;
  /** Numbers of steps, from 1. */
  readonly steps: ReadonlySet<number>;
  readonly lookUps: ReadonlySet<string>;
  readonly targets: ReadonlySet<string>;
  readonly reason: string;
}

export type TellingAct =
  | { readonly does: "choose"; readonly delivery: number }
  | { readonly does: "choose all"; readonly deliveries: readonly number[] }
  | { readonly does: "tell"; readonly parameter: string; readonly value: string | null }
  | { readonly does: "switch"; readonly what: "checks" | "lookUps" | "targets"; readonly key: string }
  | { readonly does: "switch step"; readonly step: number }
  | { readonly does: "reason"; readonly reason: string };

export const newTelling = (chosen: readonly number[]): Telling => ({
  chosen: new Set(chosen),
  parameters: {},
  checks: new Set(),
  steps: new Set(),
  lookUps: new Set(),
  targets: new Set(),
  reason: "",
});

const toggled = <T>(set: ReadonlySet<T>, one: T): ReadonlySet<T> => {
  const next = new Set(set);
  if (!next.delete(one)) next.add(one);
  return next;
};

export function tell(telling: Telling, act: TellingAct): Telling {
  switch (act.does) {
    case "choose":
      return { ...telling, chosen: toggled(telling.chosen, act.delivery) };
    case "choose all": {
      const all = act.deliveries.every((d) => telling.chosen.has(d));
      return { ...telling, chosen: new Set(all ? [] : act.deliveries) };
    }
    case "tell": {
      const { [act.parameter]: _, ...others } = telling.parameters;
      return { ...telling, parameters: act.value === null ? others : { ...others, [act.parameter]: act.value } };
    }
    case "switch":
      return { ...telling, [act.what]: toggled(telling[act.what], act.key) };
    case "switch step":
      return { ...telling, steps: toggled(telling.steps, act.step) };
    case "reason":
      return { ...telling, reason: act.reason };
  }
}

/** How many things are switched off. */
export const offCount = ({ checks, steps, lookUps, targets }: Telling): number =>
  checks.size + steps.size + lookUps.size + targets.size;

/** What the API is asked for. */
export function requestOf(telling: Telling, kind: "trial" | "load", deliveries: readonly DeliveryRow[]) {
  const { chosen, parameters, checks, steps, lookUps, targets, reason } = telling;
  return {
    deliveries: deliveries.flatMap((d) => (chosen.has(d.id) && d.kept ? [d.id] : [])),
    kind,
    ...(Object.keys(parameters).length > 0 ? { parameters: { ...parameters } } : {}),
    ...(offCount(telling) > 0
      ? { without: { checks: [...checks], steps: [...steps], lookUps: [...lookUps], targets: [...targets], reason } }
      : {}),
  };
}

/** Deliveries newer than a chosen one that are not chosen: what they brought may be written over by what is older. */
export function newerThanChosen(chosen: ReadonlySet<number>, deliveries: readonly DeliveryRow[]): DeliveryRow[] {
  const first = deliveries.findIndex((d) => chosen.has(d.id));
  if (first < 0) return [];
  return deliveries.slice(first).filter((d) => !chosen.has(d.id) && d.load?.state === "loaded");
}

/** Records of a run that went, or would go, into the target. */
export const loadedOf = ({ outcomes }: RunOutcome): number | null =>
  outcomes && outcomes.inserted + outcomes.updated + outcomes.unchanged + outcomes.merged;

const ORDER: readonly Outcome[] = ["inserted", "updated", "unchanged", "merged", "held", "waiting", "left out"];

/** What a trial would bring to the target, and how its held records differ from those of the load, in words. */
export function trialWords(trial: RunOutcome, load: RunOutcome | null): string {
  const { outcomes } = trial;
  if (!outcomes) return trial.state === "queued" ? "waits" : trial.state === "running" ? "runs" : trial.state;
  const counts = ORDER.flatMap((o) => (outcomes[o] > 0 ? [`${grouped(outcomes[o])} ${o}`] : []));
  const before = load?.outcomes?.held;
  const off = before === undefined ? 0 : outcomes.held - before;
  const differs =
    off === 0
      ? ""
      : `; ${counted(Math.abs(off), off < 0 ? "fewer held" : "more held", off < 0 ? "fewer held" : "more held")}`;
  return (counts.join(", ") || "no record") + differs;
}
