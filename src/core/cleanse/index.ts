import { accents } from "./accents.ts";
import { coordinate } from "./coordinate.ts";
import { country } from "./country.ts";
import { cut } from "./cut.ts";
import { fill } from "./fill.ts";
import { invisible } from "./invisible.ts";
import { eMail } from "./e-mail.ts";
import { identifier } from "./identifier.ts";
import { telephone } from "./telephone.ts";
import { unit } from "./unit.ts";
import { webAddress } from "./web-address.ts";
import { writtenDateStep } from "./written-date.ts";
import { join } from "./join.ts";
import { keep } from "./keep.ts";
import { marks } from "./marks.ts";
import { number } from "./number.ts";
import { pad } from "./pad.ts";
import { serialDate } from "./serial-date.ts";
import { split } from "./split.ts";
import { unicode } from "./unicode.ts";
import { valueMap } from "./value-map.ts";
import { caseStep } from "./case.ts";
import { category } from "./category.ts";
import { collapse } from "./collapse.ts";
import { derive } from "./derive.ts";
import { emptyWords } from "./empty-words.ts";
import { leaveOut } from "./leave-out.ts";
import type { StepPart } from "./part.ts";
import { replace } from "./replace.ts";
import { trim } from "./trim.ts";

/** Every step, in the order in which an editor offers them. */
export const STEPS = {
  trim,
  collapse,
  invisible,
  case: caseStep,
  unicode,
  accents,
  marks,
  "empty-words": emptyWords,
  fill,
  replace,
  keep,
  cut,
  pad,
  "value-map": valueMap,
  number,
  unit,
  "written-date": writtenDateStep,
  "serial-date": serialDate,
  identifier,
  country,
  telephone,
  "e-mail": eMail,
  "web-address": webAddress,
  coordinate,
  split,
  join,
  derive,
  category,
  "leave-out": leaveOut,
} as const;
export type StepId = keyof typeof STEPS;
export const STEP_IDS = Object.keys(STEPS) as StepId[];

/** The part for a step, its options not yet told apart. */
export function stepPart(id: StepId): StepPart<object> {
  return STEPS[id] as unknown as StepPart<object>;
}

/** A formula of a step, and where among its options it stands. */
export interface StepFormula {
  readonly option: string;
  readonly source: string;
}

type WithFormulas = Readonly<Record<string, unknown>>;

/** The formulas of a step, in their order: an option that is one, or each `when` of a list of rules. */
export function stepFormulas(part: Pick<StepPart<object>, "formulaOptions">, step: WithFormulas): StepFormula[] {
  return (part.formulaOptions ?? []).flatMap((option) => {
    const value = step[option];
    const sources = Array.isArray(value) ? (value as { when: string }[]).map((r) => r.when) : [String(value)];
    return sources.map((source) => ({ option, source }));
  });
}

/** The step's options with each formula changed. */
export function mapStepFormulas(
  part: Pick<StepPart<object>, "formulaOptions">,
  step: WithFormulas,
  change: (source: string) => string,
): Record<string, unknown> {
  return Object.fromEntries(
    (part.formulaOptions ?? []).map((option) => {
      const value = step[option];
      return [
        option,
        Array.isArray(value)
          ? (value as { when: string }[]).map((r) => ({ ...r, when: change(r.when) }))
          : change(String(value)),
      ];
    }),
  );
}
