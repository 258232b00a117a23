import { stepPart } from "../cleanse/index.ts";
import { namesIn, renameInFormula } from "../formula/names.ts";
import type { Plan, Step } from "./schema.ts";

/** Where a plan speaks of a field. */
export interface Use {
  readonly stage: "Cleanse" | "Check" | "Load";
  readonly says: string;
}

/** Every place of a plan that a field is used in, in the order of the course. */
export function usedIn(plan: Plan, name: string): Use[] {
  const uses: Use[] = [];
  plan.cleanse.forEach((s, i) => {
    const part = stepPart(s.do);
    const how = [
      ...(s.in === "*" || s.in.includes(name) ? [part.title.toLowerCase()] : []),
      ...(part.fieldOptions ?? []).flatMap((o) => ([s[o]].flat().includes(name) ? ["taken from it"] : [])),
      ...(part.formulaOptions ?? []).flatMap((o) => (namesIn(String(s[o])).includes(name) ? ["in its formula"] : [])),
    ];
    if (how.length > 0) uses.push({ stage: "Cleanse", says: `step ${i + 1}, ${how.join(", ")}` });
  });
  for (const c of plan.check) {
    if ("check" in c) {
      if (c.in.includes(name)) uses.push({ stage: "Check", says: `unique over ${c.in.join(" and ")}` });
    } else if (c.in?.includes(name) || namesIn(c.that).includes(name)) uses.push({ stage: "Check", says: c.name });
  }
  if (plan.load.key.includes(name)) uses.push({ stage: "Load", says: "the key" });
  if (plan.gates.some((g) => g.limit === "empty share" && g.field === name)) {
    uses.push({ stage: "Load", says: "the gate on its empty share" });
  }
  uses.push({ stage: "Load", says: `${plan.load.schema ?? "target"}.${plan.load.target}.${name}` });
  return uses;
}

/** The plan with a field called otherwise, wherever it is used. The old name stays a name of its column. */
export function renameField(plan: Plan, from: string, to: string): Plan {
  const follow = (names: readonly string[]): string[] => names.map((n) => (n === from ? to : n));
  const step = (s: Step): Step => {
    const next: Step = { ...s, in: s.in === "*" ? "*" : follow(s.in) };
    const part = stepPart(s.do);
    for (const o of part.fieldOptions ?? []) {
      const value = s[o];
      if (Array.isArray(value)) next[o] = follow(value as string[]);
      else if (value === from) next[o] = to;
    }
    for (const o of part.formulaOptions ?? []) next[o] = renameInFormula(String(s[o]), from, to);
    return next;
  };
  return {
    ...plan,
    contract: {
      fields: plan.contract.fields.map((f) =>
        f.name === from ? { ...f, name: to, also: [...new Set([...(f.also ?? []), from])] } : f,
      ),
    },
    cleanse: plan.cleanse.map(step),
    check: plan.check.map((c) =>
      "check" in c
        ? { ...c, in: follow(c.in) }
        : { ...c, that: renameInFormula(c.that, from, to), ...(c.in ? { in: follow(c.in) } : {}) },
    ),
    load: { ...plan.load, key: follow(plan.load.key) },
    gates: plan.gates.map((g) => (g.limit === "empty share" && g.field === from ? { ...g, field: to } : g)),
  };
}

/** The plan without a field, and without the steps and checks that can't be without it. */
export function removeField(plan: Plan, name: string): Plan {
  const cleanse = plan.cleanse.flatMap((s): Step[] => {
    const part = stepPart(s.do);
    if ((part.formulaOptions ?? []).some((o) => namesIn(String(s[o])).includes(name))) return [];
    const next: Step = { ...s };
    for (const o of part.fieldOptions ?? []) {
      if (s[o] === name) return [];
      if (Array.isArray(s[o])) {
        const rest = (s[o] as string[]).filter((n) => n !== name);
        if (rest.length === 0) return [];
        next[o] = rest;
      }
    }
    if (s.in === "*") return [next];
    const rest = s.in.filter((n) => n !== name);
    return rest.length > 0 ? [{ ...next, in: rest }] : [];
  });
  const check = plan.check.flatMap((c): Plan["check"] => {
    if ("check" in c) {
      const rest = c.in.filter((n) => n !== name);
      return rest.length > 1 ? [{ ...c, in: rest }] : [];
    }
    if (namesIn(c.that).includes(name)) return [];
    if (!c.in) return [c];
    const rest = c.in.filter((n) => n !== name);
    return rest.length > 0 ? [{ ...c, in: rest }] : [];
  });
  return {
    ...plan,
    contract: { fields: plan.contract.fields.filter((f) => f.name !== name) },
    cleanse,
    check,
    load: { ...plan.load, key: plan.load.key.filter((n) => n !== name) },
    gates: plan.gates.filter((g) => g.limit !== "empty share" || g.field !== name),
  };
}
