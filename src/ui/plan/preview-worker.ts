import {
  previewFields,
  previewRecord,
  previewRules,
  previewSteps,
  type FieldPreview,
  type RecordPreview,
  type RulePreview,
  type StepsPreview,
} from "@/core/sample/preview.ts";
import type { Reference, References } from "@/core/kernel/reference.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Sample } from "@/core/sample/sample.ts";

/** What the page asks the preview's thread. A sample is sent once, and spoken of by its key. */
export type PreviewAsk =
  | { readonly ask: "sample"; readonly key: string; readonly sample: Sample }
  | { readonly ask: "list"; readonly list: Reference }
  | {
      readonly ask: "steps";
      readonly id: number;
      readonly key: string;
      readonly plan: Plan;
      readonly steps: number;
      readonly only: boolean;
      readonly most: number;
    }
  | { readonly ask: "fields"; readonly id: number; readonly key: string; readonly plan: Plan }
  | { readonly ask: "rules"; readonly id: number; readonly key: string; readonly plan: Plan }
  | {
      readonly ask: "record";
      readonly id: number;
      readonly key: string;
      readonly plan: Plan;
      readonly row: readonly string[];
      readonly at: number;
    };

type Result = StepsPreview | FieldPreview[] | (RulePreview | null)[] | RecordPreview;

export type PreviewAnswer =
  | { readonly id: number; readonly result: Result }
  | { readonly id: number; readonly error: string };

/** Samples that are kept: the one in view, and the one before while it goes. */
const MOST_KEPT = 2;

const samples = new Map<string, Sample>();
/** Reference lists that formulas ask. */
let lists: References = new Map();
const port = self as unknown as {
  onmessage: (event: MessageEvent<PreviewAsk>) => void;
  postMessage(answer: PreviewAnswer): void;
};

/** What formulas ask for beside a record: a sample is looked at today. */
const asks = (): { lists: References; day: string } => ({ lists, day: new Date().toISOString().slice(0, 10) });

function answer(ask: Exclude<PreviewAsk, { ask: "sample" | "list" }>): Result {
  const sample = samples.get(ask.key);
  if (!sample) throw new Error("The records have not come yet.");
  switch (ask.ask) {
    case "steps":
      return previewSteps(ask.plan, sample, ask.steps, ask.only, ask.most, asks());
    case "fields":
      return previewFields(ask.plan, sample, asks());
    case "rules":
      return previewRules(ask.plan, sample, asks());
    case "record":
      return previewRecord(ask.plan, sample, ask.row, ask.at, asks());
  }
}

port.onmessage = ({ data }) => {
  if (data.ask === "sample") {
    samples.set(data.key, data.sample);
    for (const key of samples.keys()) if (samples.size > MOST_KEPT && key !== data.key) samples.delete(key);
    return;
  }
  if (data.ask === "list") {
    lists = new Map([...lists, [data.list.name, data.list]]);
    return;
  }
  try {
    port.postMessage({ id: data.id, result: answer(data) });
  } catch (error) {
    port.postMessage({ id: data.id, error: (error as Error).message });
  }
};
