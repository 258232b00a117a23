"use client";

import { wholeList } from "@/routes/references.ts";
import { sampleRecords } from "@/routes/feeds.ts";
import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { stepPart } from "@/core/cleanse/index.ts";
import { listsInFormulas } from "@/core/plan/uses.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { FieldPreview, RecordPreview, RulePreview, StepsPreview } from "@/core/sample/preview.ts";
import type { Sample } from "@/core/sample/sample.ts";
import { REFERENCES_QUERY } from "../references/references-query.ts";
import { ask } from "../kit/api.ts";
import type { PreviewAnswer, PreviewAsk } from "./preview-worker.ts";

/** Sizes of a sample that can be chosen, and the one to begin with. */
export const SAMPLE_SIZES = [500, 2000, 5000] as const;
export const USUAL_SAMPLE = 2000;
/** Records of a sample that are drawn at a time. */
export const MOST_SHOWN = 200;

/** A sample with the key by which the preview's thread knows it. */
export interface KeyedSample extends Sample {
  readonly key: string;
}

/** Telling records of the latest delivery as they came; null until there are some. */
export function useSample(plan: Plan, delivery: number | null, size: number): KeyedSample | null {
  const { read } = plan;
  const following = plan.cleanse.some((s) => stepPart(s.do).follows?.(s) && !s.off);
  const key = JSON.stringify([plan.feed, delivery, size, following, read]);
  const { data } = useQuery({
    queryKey: ["sample", key],
    queryFn: async (): Promise<KeyedSample> => {
      const sample = await ask(sampleRecords, {
        params: { feed: plan.feed },
        body: { delivery: delivery!, read, size, following },
      });
      give("sample", { ask: "sample", key, sample });
      return { ...sample, key };
    },
    placeholderData: keepPreviousData,
    enabled: delivery !== null,
    staleTime: Infinity,
    gcTime: 60_000,
  });
  return data ?? null;
}

let worker: Worker | null = null;
/** What the thread was given to keep, by what it is; a new thread is given it again. */
const given = new Map<string, PreviewAsk>();
/** Samples and lists that are kept for a new thread. */
const MOST_GIVEN = 12;

/** Gives the thread something to keep. */
function give(what: string, ask: PreviewAsk): void {
  given.delete(what);
  given.set(what, ask);
  if (given.size > MOST_GIVEN) given.delete(given.keys().next().value!);
  tell(ask);
}

let last = 0;
const open = new Map<number, { resolve: (result: never) => void; reject: (error: Error) => void }>();

function tell(ask: PreviewAsk): void {
  if (!worker) {
    worker = new Worker(new URL("./preview-worker.ts", import.meta.url), { type: "module" });
    worker.onmessage = ({ data }: MessageEvent<PreviewAnswer>) => {
      const waiting = open.get(data.id);
      open.delete(data.id);
      if ("error" in data) waiting?.reject(new Error(data.error));
      else waiting?.resolve(data.result as never);
    };
    worker.onerror = (event) => {
      for (const { reject } of open.values()) reject(new Error(event.message || "The preview has stopped."));
      open.clear();
      worker = null;
    };
    for (const before of given.values()) if (before !== ask) worker.postMessage(before);
  }
  worker.postMessage(ask);
}

/** Asks the preview's thread, so that typing is never in its way. */
function askPreview<T>(ask: (id: number) => PreviewAsk): Promise<T> {
  return new Promise<T>((resolve, reject) => {
    const id = ++last;
    open.set(id, { resolve, reject });
    tell(ask(id));
  });
}

export interface Preview<T> {
  readonly result: T | null;
  /** Why there is none: the plan as it stands can't be run. */
  readonly error: string | null;
}

/** Hands the lists that a plan’s formulas ask to the preview’s thread; which it has by now, and whether it waits for more. */
function useLists(plan: Plan): { key: string; ready: boolean } {
  const asked = listsInFormulas(plan);
  const { data: there, isPending } = useQuery({
    ...REFERENCES_QUERY,
    enabled: asked.length > 0,
    staleTime: 30_000,
  });
  const names = asked.filter((name) => there?.references.some((r) => r.name === name));
  const found = useQueries({
    queries: names.map((name) => ({
      queryKey: ["list, whole", name],
      queryFn: async (): Promise<string> => {
        const list = await ask(wholeList, { params: { list: name } });
        give(`list ${name}`, { ask: "list", list });
        return `${name} ${list.version}`;
      },
      staleTime: 60_000,
      retry: false,
    })),
  });
  return {
    key: found.map((f) => f.data ?? "").join(),
    ready: (asked.length === 0 || !isPending) && found.every((f) => !f.isPending),
  };
}

function usePreview<T>(
  plan: Plan,
  sample: KeyedSample | null,
  key: unknown,
  ask: (id: number) => PreviewAsk,
): Preview<T> {
  const lists = useLists(plan);
  const { data, error } = useQuery({
    queryKey: ["preview", sample?.key, key, lists.key],
    queryFn: () => askPreview<T>(ask),
    placeholderData: keepPreviousData,
    enabled: sample !== null && lists.ready,
    staleTime: Infinity,
    gcTime: 10_000,
    retry: false,
  });
  return { result: error ? null : (data ?? null), error: error?.message ?? null };
}

/** The sample as it stands after so many of the plan's steps. */
export function useSteps(plan: Plan, sample: KeyedSample | null, steps: number, only: boolean): Preview<StepsPreview> {
  return usePreview(plan, sample, ["steps", plan, steps, only], (id) => ({
    ask: "steps",
    id,
    key: sample!.key,
    plan,
    steps,
    only,
    most: MOST_SHOWN,
  }));
}

/** What the checks of each field find in the sample. */
export function useFieldChecks(plan: Plan, sample: KeyedSample | null): Preview<FieldPreview[]> {
  return usePreview(plan, sample, ["fields", plan], (id) => ({ ask: "fields", id, key: sample!.key, plan }));
}

/** What each check by formula finds in the sample. */
export function useRules(plan: Plan, sample: KeyedSample | null): Preview<(RulePreview | null)[]> {
  return usePreview(plan, sample, ["rules", plan], (id) => ({ ask: "rules", id, key: sample!.key, plan }));
}

/** One record, which stands in the sample or is typed, all along the plan. */
export function useRecord(
  plan: Plan,
  sample: KeyedSample | null,
  row: readonly string[],
  at: number,
): Preview<RecordPreview> {
  return usePreview(plan, sample, ["record", plan, row, at], (id) => ({
    ask: "record",
    id,
    key: sample!.key,
    plan,
    row,
    at,
  }));
}
