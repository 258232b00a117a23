import { betweenPart, betweenTitle, type BetweenCheck } from "../check/between/index.ts";
import { printCheck } from "../check/identity.ts";
import { checkPart, FIELD_CHECKS, type FieldCheck } from "../field/checks/index.ts";
import type { ValueMapOptions } from "../cleanse/value-map.ts";
import { compileFormula } from "../formula/compile.ts";
import type { Scope } from "../formula/scope.ts";
import { cellText } from "../kernel/bytes.ts";
import { grouped, quoted } from "../kernel/problem.ts";
import type { CompiledLookUp } from "../lookup/compile.ts";
import type { LookUp } from "../lookup/schema.ts";
import { isBetween, isUnique, type Plan } from "../plan/document.ts";
import type { RuleCheck } from "../plan/sections.ts";
import type { Field } from "../field/field.ts";
import type { OnFailure } from "../plan/types.ts";
import type { CompiledCheck } from "./compiled.ts";

/** The checks of a plan made ready, in the order in which they are made. */

/** A check before it is known what it is called and whether it is switched off. */
type CheckBeforeLoad<C = CompiledCheck> = C extends CompiledCheck ? Omit<C, "off" | "key"> : never;
/** A check before it is known whether it is switched off. */
export type CheckOn<C = CompiledCheck> = C extends CompiledCheck ? Omit<C, "off"> : never;

/** Collects checks; one with the key of another takes its place. */
class CheckList {
  readonly checks: CheckOn[] = [];
  private readonly number = new Map<string, number>();

  /** The number of the check. */
  add(check: CheckBeforeLoad): number {
    const key = printCheck(check.identity);
    const at = this.number.get(key) ?? this.checks.length;
    this.number.set(key, at);
    this.checks[at] = { ...check, key };
    return at;
  }
}

/**
 * All checks of a plan. `readAs`: the fields as their cells are read. What a look-up brings is
 * checked when it is there; the look-ups are told the numbers of their checks.
 */
export function compileChecks(
  plan: Plan,
  readAs: readonly Field[],
  lookUps: readonly CompiledLookUp[],
  asks: Pick<Scope, "named" | "lists" | "day">,
): CheckOn[] {
  const { fields } = plan.contract;
  const number = new Map(fields.map((f, i) => [f.name, i]));
  const list = new CheckList();
  const brought = new Set(lookUps.flatMap((l) => [...l.fills]));
  const ofContract = (wanted: (field: number) => boolean): void =>
    fields.forEach((field, i) => {
      if (wanted(i)) for (const check of contractChecks(field, readAs[i]!, i)) list.add(check);
    });
  ofContract((i) => !brought.has(i));
  for (const [field, options] of valueMaps(plan)) list.add(mappedCheck(field, number.get(field)!, options));
  lookUps.forEach((l, i) => {
    l.noneCheck = list.add(lookUpCheck(l.lookUp, i, false, l.asks));
    l.severalCheck = l.lookUp.how === "range" ? -1 : list.add(lookUpCheck(l.lookUp, i, true, l.asks));
  });
  ofContract((i) => brought.has(i));
  for (const c of plan.check) {
    if (isUnique(c)) list.add(uniqueCheck(c.in, number, fields, c.on_failure));
    else if (isBetween(c)) list.add(betweenOf(c, (n) => number.get(n)!, fields));
    else for (const it of c.in ?? [null]) list.add(ruleOf(c, it === null ? -1 : number.get(it)!, fields, asks));
  }
  const { key } = plan.load;
  if (key.length > 0) {
    // Two records with one key can't both be in the target, so a repeat of the key is always held.
    const policy = key.length === 1 ? policyOf(fields[number.get(key[0]!)!]!, "unique") : "hold";
    list.add(uniqueCheck(key, number, fields, policy === "stop" ? "stop" : "hold"));
  }
  return list.checks;
}

export function policyOf(field: Field, check: FieldCheck): OnFailure {
  const policy = field.on_failure;
  if (policy === undefined) return "hold";
  return typeof policy === "string" ? policy : (policy[check] ?? "hold");
}

/** The checks of a field's contract. */
function contractChecks(field: Field, readAs: Field, i: number): CheckBeforeLoad[] {
  return FIELD_CHECKS.filter((id) => checkPart(id).asked(field)).map((id) => {
    const part = checkPart(id);
    const check = {
      identity: { kind: "field" as const, fields: [field.name], check: id },
      fields: [i],
      onFailure: policyOf(field, id),
      title: part.title(field),
      expected: part.expected(field),
      message: part.message,
    };
    const test = part.test(readAs);
    return test ? { ...check, kind: "cell", test, isType: id === "type" } : { ...check, kind: "unique" };
  });
}

/** That the values of fields are given once: of one field, or of several together. */
function uniqueCheck(
  names: readonly string[],
  number: ReadonlyMap<string, number>,
  fields: readonly Field[],
  onFailure: OnFailure,
): CheckBeforeLoad {
  const own = names.map((n) => number.get(n)!);
  const part = checkPart("unique");
  return {
    kind: "unique",
    identity: { kind: "field", fields: names, check: "unique" },
    fields: own,
    onFailure,
    title: names.length === 1 ? part.title(fields[own[0]!]!) : `${names.join(" and ")} together are given once`,
    expected: part.expected(fields[0]!),
    message: part.message,
  };
}

/** The fields that a value map tells of values which it does not make, by the first such step of each. */
function valueMaps({ cleanse, contract }: Plan): Map<string, ValueMapOptions> {
  const found = new Map<string, ValueMapOptions>();
  for (const step of cleanse) {
    if (step.do !== "value-map" || step.off || step["unknown"] === undefined) continue;
    const { do: _, in: where, off: __, ...options } = step;
    const names = where === "*" ? contract.fields.map((f) => f.name) : where;
    for (const name of names) if (!found.has(name)) found.set(name, options as unknown as ValueMapOptions);
  }
  return found;
}

/** The check that a look-up found a partner, or not several. */
function lookUpCheck(lookUp: LookUp, number: number, several: boolean, asks: readonly number[]): CheckBeforeLoad {
  const { name, list } = lookUp;
  const policy = several ? lookUp.several : lookUp.none;
  const what = (field: Field, value: string): string => `${field.name} ${quoted(value)}`;
  return {
    kind: "look-up",
    identity: { kind: "look-up", name, several },
    fields: asks,
    onFailure: policy === "pass" || policy === "propose" ? "note" : policy,
    title: several ? `${name} fits one entry of the list ${list}` : `${name} is in the list ${list}`,
    expected: several ? `one entry of the list ${list}` : `an entry of the list ${list}`,
    message: (field, value) =>
      several
        ? `${what(field, value)} fits several entries of the list ${list}.`
        : lookUp.how === "scored"
          ? `${what(field, value)} is like no entry of the list ${list}.`
          : `${what(field, value)} is not in the list ${list}${policy === "propose" ? "; it is proposed as a new entry" : ""}.`,
    lookUp: number,
  };
}

/** The check that a value is one that its value map makes. */
function mappedCheck(name: string, field: number, { to, unknown }: ValueMapOptions): CheckBeforeLoad {
  const wanted = new Set(Object.keys(to));
  return {
    kind: "cell",
    identity: { kind: "mapped", field: name },
    isType: false,
    fields: [field],
    onFailure: unknown!,
    title: `${name} is in its value map`,
    expected: `one of ${grouped(wanted.size)} values of the map, or a spelling of one`,
    message: (f, value) => `${f.name} ${quoted(value)} is not in its value map.`,
    test: (heap, cells, count, bad) => {
      let n = 0;
      for (let r = 0; r < count; r++) {
        if (cells.start[r] !== cells.end[r] && !wanted.has(cellText(heap, cells, r))) bad[n++] = r;
      }
      return n;
    },
  };
}

function betweenOf(check: BetweenCheck, number: (name: string) => number, fields: readonly Field[]): CheckBeforeLoad {
  const kind = betweenPart(check.check);
  const part = kind.make(check, number, fields);
  const title = betweenTitle(check);
  return {
    kind: "between",
    identity: { kind: "between", name: title },
    fields: part.shows,
    onFailure: check.on_failure,
    title,
    expected: kind.expected,
    // The facts are only known with the whole delivery.
    message: () => `Not so: ${title}.`,
    between: { part, check },
  };
}

function ruleOf(
  check: RuleCheck,
  it: number,
  fields: readonly Field[],
  asks: Pick<Scope, "named" | "lists" | "day">,
): CheckBeforeLoad {
  const formula = compileFormula(check.that, { fields, it: it < 0 ? undefined : it, ...asks });
  const about = it >= 0 ? [it] : formula.uses.length > 0 ? [...formula.uses] : [0];
  return {
    kind: "rule",
    identity: { kind: "rule", name: check.name, field: it >= 0 ? fields[it]!.name : null },
    fields: about,
    onFailure: check.on_failure,
    title: it >= 0 ? `${fields[it]!.name}: ${check.name}` : check.name,
    expected: check.that,
    message: (field, value) =>
      it >= 0 ? `${field.name} ${quoted(value)}: not so that ${check.name}.` : `Not so: ${check.name}.`,
    rule: { formula, it, words: check.message },
  };
}
