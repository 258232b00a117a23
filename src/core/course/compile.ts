import { printCheck, type CheckIdentity } from "../check/identity.ts";
import { stepPart } from "../cleanse/index.ts";
import { compileFormula } from "../formula/compile.ts";
import { NO_REFERENCES, type References } from "../kernel/reference.ts";
import { compileLookUps } from "../lookup/compile.ts";
import { withWordLists } from "../match/word-lists.ts";
import { leavesOf } from "../plan/arriving.ts";
import type { Plan } from "../plan/document.ts";
import { goneField } from "../plan/gone.ts";
import { withoutTargets } from "../plan/further-edit.ts";
import { namedOf, withoutSteps } from "../plan/parameters.ts";
import type { Field } from "../field/field.ts";
import { FIELD_CHECKS } from "../field/checks/index.ts";
import type { OnFailure } from "../plan/types.ts";
import { stepWords } from "../plan/words.ts";
import { compileChecks } from "./checks.ts";
import type { ChecksOff, Compiled, CompiledCheck, CompiledStep, LoadInputs } from "./compiled.ts";

/** The plan with the words that what it compares takes from reference lists. */
function withLists(plan: Plan, references: References): Plan {
  return plan.match ? { ...plan, match: withWordLists(plan.match, references) } : plan;
}

/**
 * Makes a plan ready to run. The plan must have come from `parsePlan`. A look-up whose list is not
 * among `references` is passed over: where only the fields matter, or a person looks at a sample.
 * Throws `look-up-invalid` where a list is not what a look-up needs. Checks in `off` are passed over, and what `run`
 * switches off; `day` is what formulas call the day of the load.
 */
export function compilePlan(
  own: Plan,
  references: References = NO_REFERENCES,
  { off = {}, day, run = {} }: LoadInputs = {},
): Compiled {
  const plan = withLists(loosened(withoutTargets(withoutSteps(own, run.steps), run.targets), off), references);
  const named = namedOf(plan, run.parameters);
  const { fields } = plan.contract;
  const number = new Map(fields.map((f, i) => [f.name, i]));
  const numbers = (names: readonly string[]): number[] => names.map((n) => number.get(n)!);
  const read = withWrittenDates(plan);
  const steps = plan.cleanse.map((step): CompiledStep => {
    const part = stepPart(step.do);
    const { do: _, in: where, off, ...options } = step;
    const targets = off ? [] : where === "*" ? fields.map((_, i) => i) : numbers(where);
    const context = { fields: read, targets, named, lists: references, day };
    const record = off ? null : (part.record?.(options, context) ?? null);
    return {
      step,
      words: stepWords(step),
      fields: targets,
      apply: off || record ? () => 0 : part.apply(options),
      record,
    };
  });
  const lookUps = compileLookUps(plan.lookup ?? [], fields, references, run.lookUps);
  const checks = compileChecks(plan, read, lookUps, { named, lists: references, day });
  return {
    plan,
    run,
    day,
    fields,
    readAs: read,
    steps,
    checks: checks.map((c) => ({ ...c, off: (canSwitchOff(plan, c) ? off[c.key] : undefined) ?? null })),
    uniques: checks.flatMap((c, i) => (c.kind === "unique" ? [i] : [])),
    lookUps,
    made: new Set([
      ...lookUps.flatMap((l) => [...l.fills].map((i) => fields[i]!.name)),
      ...(plan.load.taken_from ?? []).map((t) => t.field),
      ...(goneField(plan.load) === undefined ? [] : [goneField(plan.load)!]),
      ...plan.cleanse.flatMap((s) => (stepPart(s.do).makes && !s.off && s.in !== "*" ? s.in : [])),
    ]),
    further: (plan.load.further ?? []).map(({ where }) =>
      where === undefined ? null : compileFormula(where, { fields, named, lists: references, day }),
    ),
    senderField: plan.sender_field === undefined ? -1 : number.get(plan.sender_field)!,
    leaves: new Map([...leavesOf(plan)].map(([name, texts]) => [number.get(name)!, texts])),
  };
}

/** Whether a load can do without a check: not without types, nor with a key that is empty or given twice. */
export function canSwitchOff({ load }: Plan, { identity }: Pick<CompiledCheck, "identity">): boolean {
  if (identity.kind === "look-up") return false;
  if (identity.kind !== "field") return true;
  const { check, fields } = identity;
  if (check === "type") return false;
  if (check === "unique") return fields.join("+") !== load.key.join("+");
  return check !== "required" || !load.key.includes(fields[0]!);
}

/** The plan with fields that may be empty where the check that they are filled is switched off: the target must take them. */
function loosened(plan: Plan, off: ChecksOff): Plan {
  const may = (f: Field): boolean => {
    const identity: CheckIdentity = { kind: "field", fields: [f.name], check: "required" };
    return off[printCheck(identity)] !== undefined && canSwitchOff(plan, { identity });
  };
  if (!plan.contract.fields.some(may)) return plan;
  const all = (policy: OnFailure) => Object.fromEntries(FIELD_CHECKS.map((id) => [id, policy]));
  const fields = plan.contract.fields.map((f) => {
    if (!may(f)) return f;
    const policies = typeof f.on_failure === "string" ? all(f.on_failure) : f.on_failure;
    return { ...f, on_failure: { ...policies, required: "note" as const } };
  });
  return { ...plan, contract: { fields } };
}

const ISO_FORMATS = {
  date: ["yyyy-MM-dd"],
  timestamp: ["yyyy-MM-dd'T'HH:mm:ss.SSSXXX", "yyyy-MM-dd'T'HH:mm:ss", "yyyy-MM-dd"],
};

/** The fields, those that a step writes dates into with the formats that it writes. */
function withWrittenDates({ contract, cleanse }: Plan): Field[] {
  const written = cleanse.filter((s) => !s.off && stepPart(s.do).writesDates);
  return contract.fields.map((f) => {
    if (f.type !== "date" && f.type !== "timestamp") return f;
    if (!written.some((s) => s.in === "*" || s.in.includes(f.name))) return f;
    return { ...f, formats: [...(f.formats ?? []), ...ISO_FORMATS[f.type]] };
  });
}
