import { stepFormulas, stepPart } from "../cleanse/index.ts";
import { lookUpFields } from "../lookup/schema.ts";
import { namesIn } from "../formula/names.ts";
import { stepWords } from "./words.ts";
import type { Plan } from "./document.ts";
import type { Step } from "./sections.ts";
import type { Field } from "../field/field.ts";

/** One way by which a field gets what it has. */
export interface Origin {
  readonly stage: "Map" | "Cleanse" | "Look up";
  readonly says: string;
  /** Other fields that it takes something from. */
  readonly from: readonly string[];
}

/** Names by which a field's column is met; what is known about its file or line, in words. */
function columnWords(field: Field): string {
  const names = [field.name, ...(field.title ? [field.title] : []), ...(field.also ?? [])];
  const columns = [...new Set(names.filter((n) => !n.startsWith("@")))];
  const about = names.flatMap((n) => (n === "@file" ? ["the file’s name"] : n === "@line" ? ["the line"] : []));
  return [`the column ${columns.join(" or ")}`, ...about].join(" or ");
}

/** The fields that a step takes something from into the fields that it works on. */
function takenBy(step: Step): string[] {
  const part = stepPart(step.do);
  const options = (part.fieldOptions ?? []).flatMap((o) =>
    step[o] === undefined ? [] : ([step[o]].flat() as string[]),
  );
  const formulas = stepFormulas(part, step).flatMap((f) => namesIn(f.source));
  return [...new Set([...options, ...formulas])].filter((name) => name !== "it");
}

const reaches = (step: Step, name: string): boolean =>
  !step.off && !stepPart(step.do).leavesOut && (step.in === "*" || step.in.includes(name));

/** How a field comes by its values, in the order of the course: its column, the steps that change it, the look-up that fills it. */
export function originsOf(plan: Plan, name: string): Origin[] {
  const field = plan.contract.fields.find((f) => f.name === name);
  if (!field) return [];
  const brought = (plan.lookup ?? []).filter((l) => lookUpFields(l).fills.includes(name));
  const own = plan.cleanse.flatMap((s, i) => (reaches(s, name) ? [{ s, i }] : []));
  const made = brought.length > 0 || own.some(({ s }) => stepPart(s.do).makes === true);
  return [
    { stage: "Map", says: `${columnWords(field)}${made ? ", where there is one" : ""}`, from: [] },
    ...own.map(({ s, i }): Origin => {
      const from = takenBy(s).filter((n) => n !== name);
      return {
        stage: "Cleanse",
        says: `step ${i + 1}, ${stepWords(s.in === "*" ? s : { ...s, in: [name] })}`,
        from,
      };
    }),
    ...brought.map((l): Origin => {
      const column = l.bring[name];
      const what =
        column === undefined ? (l.how === "scored" && l.score_in === name ? "the score" : "the lead") : column;
      return { stage: "Look up", says: `${what} of the list ${l.list}, by ${l.name}`, from: lookUpFields(l).asks };
    }),
  ];
}

/** Fields that take something from a field, by steps or look-ups; each once. */
export function goesInto(plan: Plan, name: string): string[] {
  const into = [
    ...plan.cleanse.flatMap((s) =>
      s.off || stepPart(s.do).leavesOut || s.in === "*" || !takenBy(s).includes(name) ? [] : s.in,
    ),
    ...(plan.lookup ?? []).flatMap((l) => {
      const { asks, fills } = lookUpFields(l);
      return asks.includes(name) ? fills : [];
    }),
  ];
  return [...new Set(into)].filter((other) => other !== name);
}

/** All fields that a field comes from, or goes into, through any number of others; itself not among them. */
export function reach(plan: Plan, name: string, way: "back" | "forward"): string[] {
  const next = (n: string): readonly string[] =>
    way === "forward" ? goesInto(plan, n) : originsOf(plan, n).flatMap((o) => o.from);
  const seen = new Set([name]);
  for (const at of seen) for (const other of next(at)) seen.add(other);
  seen.delete(name);
  return [...seen];
}
