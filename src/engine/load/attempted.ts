import type { Compiled } from "@/core/course/compiled.ts";
import type { References } from "@/core/kernel/reference.ts";
import { ident, type Client, type Db } from "@/store/db.ts";
import type { Delivery } from "@/store/deliveries.ts";
import type { Attempt } from "@/store/ledger.ts";
import type { Load } from "@/store/loads.ts";
import type { Timing } from "@/core/report/report.ts";
import { hasFilters } from "@/core/plan/further.ts";
import { INTO } from "../writing/further-rows.ts";
import { LEAVE } from "../writing/meet.ts";
import { stagedColumns } from "../writing/target.ts";
import type { Successor } from "../writing/successor.ts";
import { copyDelimiter } from "./copy-rows.ts";
import { staging } from "./staging.ts";

/** Somebody has asked a load to end, and it does. */
export class Cancelled extends Error {}

/** What an attempt at a load has to work with, once its inputs are there. */
export interface Attempted {
  readonly db: Db;
  /** The connection that is the load's own, with its lock. */
  readonly client: Client;
  readonly id: number;
  readonly load: Load;
  readonly attempt: Attempt;
  readonly compiled: Compiled;
  readonly references: References;
  readonly delivery: Delivery;
  /** The number of the writing that it is going to be; 0 for a trial. */
  readonly writing: number;
  /** How the staging table was made, where it may take the target's place. */
  readonly successor: Successor | null;
  /** Staged records say which cells are to leave what the target has; rows of a table that takes the target's place meet none. */
  readonly leaves: boolean;
  /** Transactions that have put staged records there. */
  readonly xids: string[];
  readonly clock: Clock;
}

/** How long the parts of a load took, in the order in which they were begun; ends it between two parts when it was cancelled. */
export class Clock {
  readonly timing: Timing[] = [];
  constructor(private readonly cancelled: () => boolean) {}

  async timed<T>(part: string, work: () => Promise<T>): Promise<T> {
    if (this.cancelled()) throw new Cancelled();
    const began = performance.now();
    const result = await work();
    this.timing.push({ part, ms: Math.round(performance.now() - began) });
    return result;
  }
}

/** The statement that takes records into staging. */
export function copyStatement({ id, compiled, leaves }: Pick<Attempted, "id" | "compiled" | "leaves">): string {
  const delimiter = copyDelimiter(compiled.plan.read.delimiter);
  const { plan } = compiled;
  const columns = [
    "_record",
    ...stagedColumns(plan).map((c) => c.name),
    ...(leaves ? [LEAVE] : []),
    ...(hasFilters(plan) ? [INTO] : []),
  ];
  const names = columns.map((c) => ident(c)).join(", ");
  return `copy ${staging(id)} (${names}) from stdin (delimiter '${delimiter}', null '')`;
}
