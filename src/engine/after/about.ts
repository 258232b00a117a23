import { settingsOf, valuesOf } from "@/core/plan/parameters.ts";
import type { AfterLoad } from "@/store/after.ts";
import type { Db } from "@/store/db.ts";
import { senderOf } from "@/store/deliveries.ts";
import { getPlan } from "@/store/feeds.ts";
import type { Load } from "@/store/loads.ts";

/** What something after a load is about. */
export interface AboutLoad {
  readonly load: Load;
  readonly outcome: string;
  /** Who sent its delivery; "" where nobody has said. */
  readonly sender: string;
  /** The place of the action in the plan, from 0. */
  readonly n: number;
  /** The values that the load had for the parameters of its plan. */
  readonly parameters: Readonly<Record<string, string>>;
}

export async function aboutOf(db: Db, { n, outcome }: AfterLoad, load: Load): Promise<AboutLoad> {
  const { document } = await getPlan(db, load.plan);
  const sender = await senderOf(db, load.delivery);
  return { load, outcome, sender, n, parameters: valuesOf(document, load.run.parameters) };
}

/** The settings that its statements and queries may ask for. */
export function toldAfter({ load, outcome, parameters }: AboutLoad): Record<string, string> {
  return settingsOf(parameters, { load: String(load.id), feed: load.feed, outcome });
}
