import { stepFormulas, stepPart } from "../cleanse/index.ts";
import { betweenFields, betweenTitle } from "../check/between/index.ts";
import { listsIn } from "../formula/lists.ts";
import { namedIn } from "../formula/named.ts";
import { namesIn } from "../formula/names.ts";
import { fieldsOf } from "../gate/index.ts";
import { keptLists, lookUpFields } from "../lookup/schema.ts";
import { filledByMatch } from "../match/schema.ts";
import { WORDS_FROM, wordListsOf } from "../match/word-lists.ts";
import { namesInPartitions } from "../write/files/partition.ts";
import { isBetween, isRule, isUnique, type Plan } from "./document.ts";
import { furtherUses } from "./further-edit.ts";
import { goneFields } from "./gone.ts";

/** Where a plan speaks of a field. */
export interface Use {
  readonly stage: "Read" | "Cleanse" | "Check" | "Look up" | "Match" | "Load";
  readonly says: string;
}

/** Whether words for the sender have a value of a field put in. */
export function speaksOf(words: string | undefined, name: string): boolean {
  return words?.includes(`{${name}}`) ?? false;
}

/** Every place of a plan that a field is used in, in the order of the course. */
export function usedIn(plan: Plan, name: string): Use[] {
  const uses: Use[] = [];
  if (plan.sender_field === name) uses.push({ stage: "Read", says: "says whose a record is" });
  plan.cleanse.forEach((s, i) => {
    const part = stepPart(s.do);
    const title = part.title.toLowerCase();
    const how = [
      ...(!part.leavesOut && (s.in === "*" || s.in.includes(name)) ? [title] : []),
      ...(part.fieldOptions ?? []).flatMap((o) => ([s[o]].flat().includes(name) ? ["taken from it"] : [])),
      ...(stepFormulas(part, s).some((f) => namesIn(f.source).includes(name))
        ? [part.leavesOut ? `${title}, in its formula` : "in its formula"]
        : []),
    ];
    if (how.length > 0) uses.push({ stage: "Cleanse", says: `step ${i + 1}, ${how.join(", ")}` });
  });
  for (const c of plan.check) {
    if (isBetween(c)) {
      if (betweenFields(c).includes(name)) uses.push({ stage: "Check", says: betweenTitle(c) });
    } else if (isUnique(c)) {
      if (c.in.includes(name)) uses.push({ stage: "Check", says: `unique over ${c.in.join(" and ")}` });
    } else if (c.in?.includes(name) || namesIn(c.that).includes(name)) uses.push({ stage: "Check", says: c.name });
  }
  for (const c of plan.check) {
    if (isUnique(c) || !speaksOf(c.message, name)) continue;
    uses.push({ stage: "Check", says: `in the words of ${isBetween(c) ? betweenTitle(c) : c.name}` });
  }
  for (const l of plan.lookup ?? []) {
    const { asks, fills } = lookUpFields(l);
    if (asks.includes(name)) uses.push({ stage: "Look up", says: `${l.name} is looked up by it` });
    if (fills.includes(name)) uses.push({ stage: "Look up", says: `filled by ${l.name}` });
  }
  if (plan.match?.fields.some((f) => f.in.includes(name))) uses.push({ stage: "Match", says: "compared" });
  if (plan.match?.recent === name) uses.push({ stage: "Match", says: "says which record is the more recent" });
  if (plan.match && filledByMatch(plan.match).includes(name))
    uses.push({ stage: "Match", says: "filled by the match" });
  if (plan.match?.trust?.field === name) uses.push({ stage: "Match", says: "says whom to trust" });
  if (plan.match?.rank && namesIn(plan.match.rank).includes(name)) {
    uses.push({ stage: "Match", says: "in the formula that ranks records" });
  }
  if (plan.match?.keep?.[name]) uses.push({ stage: "Match", says: `of the kept record: ${plan.match.keep[name]}` });
  if (plan.load.key.includes(name)) uses.push({ stage: "Load", says: "the key" });
  if (plan.load.arriving?.[name]) uses.push({ stage: "Load", says: "what its arriving cells do" });
  if (plan.load.gone && goneFields(plan.load.gone).some((f) => f.name === name))
    uses.push({ stage: "Load", says: "what becomes of rows that no longer come" });
  if (namesInPartitions(plan.load.slice ?? "").includes(name)) uses.push({ stage: "Load", says: "what is replaced" });
  if (plan.load.indexes?.some((fields) => fields.includes(name)))
    uses.push({ stage: "Load", says: "in an index of the target" });
  for (const action of plan.after ?? []) {
    if ("partition" in action && !action.query && namesInPartitions(action.partition ?? "").includes(name))
      uses.push({ stage: "Load", says: "folders of files after a load" });
  }
  for (const says of furtherUses(plan, name)) uses.push({ stage: "Load", says });
  for (const g of plan.gates) {
    if (fieldsOf(g).includes(name))
      uses.push({ stage: "Load", says: `the gate on ${"field" in g ? "its " : ""}${g.limit}` });
  }
  uses.push({
    stage: "Load",
    says: plan.load.without?.includes(name)
      ? "not in the target"
      : `${plan.load.schema ?? "target"}.${plan.load.target}.${name}`,
  });
  return uses;
}

/** The formulas of a plan, each with where it stands. */
export function formulasOf(plan: Plan): { readonly source: string; readonly use: Use }[] {
  return [
    ...plan.cleanse.flatMap((s, i) => {
      const part = stepPart(s.do);
      const where = s.in === "*" ? "all fields" : s.in.join(", ");
      return stepFormulas(part, s).map(({ source }) => ({
        source,
        use: { stage: "Cleanse" as const, says: `step ${i + 1}, ${part.title.toLowerCase()}, ${where}` },
      }));
    }),
    ...(plan.match?.rank === undefined
      ? []
      : [{ source: plan.match.rank, use: { stage: "Match" as const, says: "the rank of records" } }]),
    ...plan.check.flatMap((c) =>
      !isRule(c)
        ? []
        : [{ source: c.that, use: { stage: "Check" as const, says: c.in ? `${c.name}, ${c.in.join(", ")}` : c.name } }],
    ),
    ...(plan.load.further ?? []).flatMap(({ where, target }) =>
      where === undefined ? [] : [{ source: where, use: { stage: "Load" as const, says: `what goes to ${target}` } }],
    ),
  ];
}

/** Every place of a plan that a named formula is used in, by itself or through another. */
export function usesOfFormula(plan: Plan, name: string): Use[] {
  const named = plan.formulas ?? {};
  return formulasOf(plan).flatMap(({ source, use }) => (namedIn(source, named).has(name) ? [use] : []));
}

/** The reference lists that a plan asks, by look-ups, in formulas, to compare with, or for words that mean the same; not the files of the delivery that stand for lists. */
export function listsOf(plan: Plan): string[] {
  const files = new Set((plan.lookup ?? []).flatMap((l) => (l.file === undefined ? [] : [l.list])));
  const asked = listsInFormulas(plan).filter((name) => !files.has(name));
  return [
    ...new Set([
      ...keptLists(plan.lookup ?? []),
      ...asked,
      ...wordListsOf(plan.match?.fields ?? []),
      ...knownListOf(plan),
    ]),
  ];
}

/** The list whose entries records are compared with; none where that is switched off. */
function knownListOf({ match }: Plan): string[] {
  return match?.list && match.against.includes("list") ? [match.list.name] : [];
}

/** The reference lists that a plan's formulas ask. */
export function listsInFormulas(plan: Plan): string[] {
  return [...new Set(formulasOf(plan).flatMap(({ source }) => listsIn(source, plan.formulas)))];
}

/** Every place of a plan but its look-ups that asks a list. */
export function usesOfList(plan: Plan, list: string): Use[] {
  return [
    ...formulasOf(plan).flatMap(({ source, use }) => (listsIn(source, plan.formulas).includes(list) ? [use] : [])),
    ...(plan.match?.list?.name === list ? [{ stage: "Match" as const, says: "records are compared with it" }] : []),
    ...(plan.match?.fields ?? []).flatMap((f): Use[] =>
      f[WORDS_FROM] === list ? [{ stage: "Match", says: `words that mean the same in ${f.in.join(" and ")}` }] : [],
    ),
  ];
}
