import { grouped } from "../kernel/problem.ts";
import type { Step } from "../plan/sections.ts";

/** A share of the filled values that must fit a type before it is proposed; the rest would be held. */
export const ENOUGH = 0.9;

/** One line of a proposed contract: what is proposed for a field, and what in the data speaks for it. */
export interface Reason {
  readonly field: string;
  /** The property of the field, or the section of the plan. */
  readonly part: "type" | "required" | "length" | "least" | "most" | "values" | "formats" | "key" | "cleanse";
  readonly says: string;
  readonly why: string;
  /** The step that it is about, without its fields. */
  readonly step?: NewStep;
  /** It takes values away that may be meant: it is done only where a person says so. */
  readonly ask?: true;
}

/** A step whose fields are still to be gathered. */
export type NewStep = Pick<Step, "do"> & Record<string, unknown>;

/** “all 708 values are days”, or “99.4 % of 708 values are days; 4 would be held”. */
export function fitting(part: number, whole: number, are: string): string {
  if (part === whole) return `all ${grouped(whole)} values ${are}`;
  const percent = (part / whole) * 100;
  return `${percent > 99.9 ? "99.9" : percent.toFixed(1)} % of ${grouped(whole)} values ${are}; ${grouped(whole - part)} would be held`;
}

/** Takes down a line of the proposal. */
export type Because = (part: Reason["part"], says: string, why: string, step?: NewStep, ask?: true) => void;
