import { SieveError } from "@/core/kernel/problem.ts";

/** How far a piece of work on many records is: so many of so many, at one of its stages. */
export interface WorkAt {
  readonly stage: string;
  readonly done: number;
  readonly of: number;
}

/** What work ends with that was asked to stop. */
export const stopped = (): SieveError =>
  new SieveError("stopped", "It was stopped, and what it had done until then is taken back.", {
    hint: "Nothing is as it would have been; begin again when you like.",
  });
