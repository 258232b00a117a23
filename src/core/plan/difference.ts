import { betweenTitle } from "../check/between/index.ts";
import { gateName } from "../gate/index.ts";
import { stepWords } from "./words.ts";
import { isBetween, isUnique, type Plan } from "./document.ts";
import type { PlanCheck, Step } from "./sections.ts";
import type { Stage } from "./types.ts";

/** One thing that two plans say differently. */
export interface Difference {
  readonly stage: Stage | "Formulas";
  /** What it is about: “field site, length”, “step 3”. */
  readonly what: string;
  /** What it was and what it is, in words; null where it was not there, or is not any more. */
  readonly was: string | null;
  readonly is: string | null;
}

/** A value of a plan in words. */
function words(value: unknown): string | null {
  if (value === undefined) return null;
  if (value === true) return "yes";
  if (value === false) return "no";
  if (Array.isArray(value)) return value.every((v) => typeof v !== "object") ? value.join(", ") : JSON.stringify(value);
  if (value === null || typeof value !== "object") return String(value);
  return Object.entries(value)
    .map(([k, v]) => `${k} ${words(v)}`)
    .join("; ");
}

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** A part of a plan, whatever it is: what matters are its properties and their names. */
type Thing = object;
const propertiesOf = (thing: Thing): [string, unknown][] => Object.entries(thing);

/** What two things say differently, property by property. */
function properties(
  stage: Difference["stage"],
  what: string,
  was: Thing,
  is: Thing,
  but: readonly string[] = [],
): Difference[] {
  const [before, after] = [new Map(propertiesOf(was)), new Map(propertiesOf(is))];
  const keys = [...new Set([...before.keys(), ...after.keys()])].filter((k) => !but.includes(k));
  return keys
    .filter((k) => !same(before.get(k), after.get(k)))
    .map((k) => ({
      stage,
      what: [what, k.replaceAll("_", " ")].filter((w) => w !== "").join(", "),
      was: words(before.get(k)),
      is: words(after.get(k)),
    }));
}

interface Named {
  readonly name: string;
  /** The whole of it in words, for one that came or went. */
  readonly whole: string;
  readonly thing: Thing;
}

/** Things known by their names: those that came, went, or say something else. */
function named(
  stage: Difference["stage"],
  kind: string,
  was: readonly Named[],
  is: readonly Named[],
  but: readonly string[],
): Difference[] {
  const before = new Map(was.map((n) => [n.name, n]));
  const after = new Set(is.map((n) => n.name));
  const what = (name: string): string => `${kind} ${name}`;
  return [
    ...is.flatMap((n): Difference[] => {
      const own = before.get(n.name);
      return own
        ? properties(stage, what(n.name), own.thing, n.thing, but)
        : [{ stage, what: what(n.name), was: null, is: n.whole }];
    }),
    ...was.flatMap((n) => (after.has(n.name) ? [] : [{ stage, what: what(n.name), was: n.whole, is: null }])),
  ];
}

/** The longest list that both have in its order (dynamic programming; Wagner and Fischer, 1974), as pairs of places. */
function common(a: readonly string[], b: readonly string[]): [number, number][] {
  const lengths = Array.from({ length: a.length + 1 }, () => new Int32Array(b.length + 1));
  for (let i = a.length - 1; i >= 0; i--) {
    for (let j = b.length - 1; j >= 0; j--) {
      lengths[i]![j] = a[i] === b[j] ? lengths[i + 1]![j + 1]! + 1 : Math.max(lengths[i + 1]![j]!, lengths[i]![j + 1]!);
    }
  }
  const pairs: [number, number][] = [];
  for (let i = 0, j = 0; i < a.length && j < b.length;) {
    if (a[i] === b[j]) pairs.push([i++, j++]);
    else if (lengths[i + 1]![j]! >= lengths[i]![j + 1]!) i++;
    else j++;
  }
  return pairs;
}

/** Steps that were put in, taken out, moved or changed. */
function steps(was: readonly Step[], is: readonly Step[]): Difference[] {
  const stage = "Cleanse";
  const [a, b] = [was.map((s) => JSON.stringify(s)), is.map((s) => JSON.stringify(s))];
  const kept = common(a, b);
  const gone = new Set(was.keys());
  const come = new Set(is.keys());
  for (const [i, j] of kept) {
    gone.delete(i);
    come.delete(j);
  }
  const found: { at: number; difference: Difference }[] = [];
  const pair = (alike: (i: number, j: number) => boolean, tell: (i: number, j: number) => Difference): void => {
    for (const j of [...come]) {
      const i = [...gone].find((x) => alike(x, j));
      if (i === undefined) continue;
      gone.delete(i);
      come.delete(j);
      found.push({ at: j, difference: tell(i, j) });
    }
  };
  pair(
    (i, j) => a[i] === b[j],
    (i, j) => ({
      stage,
      what: `${stepWords(is[j]!)}, its place`,
      was: `step ${i + 1}`,
      is: `step ${j + 1}`,
    }),
  );
  pair(
    (i, j) => was[i]!.do === is[j]!.do,
    (i, j) => ({ stage, what: `step ${j + 1}`, was: stepWords(was[i]!), is: stepWords(is[j]!) }),
  );
  for (const j of come)
    found.push({ at: j, difference: { stage, what: `step ${j + 1}`, was: null, is: stepWords(is[j]!) } });
  for (const i of gone) {
    found.push({ at: i, difference: { stage, what: `step ${i + 1}`, was: stepWords(was[i]!), is: null } });
  }
  return found.sort((x, y) => x.at - y.at).map((f) => f.difference);
}

function checkName(check: PlanCheck): string {
  if (isUnique(check)) return `unique over ${check.in.join(" and ")}`;
  return isBetween(check) ? betweenTitle(check) : check.name;
}

/** A thing's properties in words, its name apart. */
function rest(thing: Thing, but: readonly string[] = []): string {
  const said = propertiesOf(thing).filter(([k]) => !but.includes(k));
  return said.length === 0 ? "yes" : said.map(([k, v]) => `${k.replaceAll("_", " ")} ${words(v)}`).join("; ");
}

function asNamed<T extends object>(list: readonly T[], name: (thing: T) => string, but: readonly string[]): Named[] {
  return list.map((t) => ({ name: name(t), whole: rest(t, but), thing: t }));
}

/** Fields that came, went, were renamed, or say something else. */
function fields(was: Plan, is: Plan): Difference[] {
  const stage = "Check";
  const [before, after] = [was.contract.fields, is.contract.fields];
  const old = new Set(before.map((f) => f.name));
  const now = new Set(after.map((f) => f.name));
  // A field that is renamed keeps its former name among the others that it takes.
  const renamed = new Map(
    after.flatMap((f) => {
      const from = old.has(f.name) ? undefined : f.also?.find((n) => old.has(n) && !now.has(n));
      return from === undefined ? [] : [[from, f.name] as const];
    }),
  );
  const found: Difference[] = [...renamed].map(([from, to]) => ({ stage, what: "name of a field", was: from, is: to }));
  const earlier = before.map((f) => ({ ...f, name: renamed.get(f.name) ?? f.name }));
  const fieldName = (f: { name: string }): string => f.name;
  const but = ["name"];
  found.push(...named(stage, "field", asNamed(earlier, fieldName, but), asNamed(after, fieldName, but), but));
  const order = (list: readonly { name: string }[], other: ReadonlySet<string>): string =>
    list.flatMap((f) => (other.has(f.name) ? [f.name] : [])).join(", ");
  const [first, second] = [order(earlier, now), order(after, new Set(earlier.map((f) => f.name)))];
  if (first !== second) found.push({ stage, what: "order of the fields", was: first, is: second });
  return found;
}

/** Everything that one plan says otherwise than another, in the order of the course. */
export function differences(was: Plan, is: Plan): Difference[] {
  const lookUpName = (l: { name: string }): string => l.name;
  const formulas = (plan: Plan): Named[] =>
    Object.entries(plan.formulas ?? {}).map(([name, f]) => ({
      name,
      whole: f.body,
      thing: f,
    }));
  const compared = (plan: Plan): Named[] => asNamed(plan.match?.fields ?? [], (f) => f.in.join(" and "), ["in"]);
  const section = (plan: Plan): Thing => {
    const { fields: _, ...others } = plan.match ?? { fields: [] };
    return others;
  };
  return [
    ...properties("Read", "", was.read, is.read),
    ...named(
      "Read",
      "sender",
      asNamed(was.senders ?? [], (s) => s.files, ["files"]),
      asNamed(is.senders ?? [], (s) => s.files, ["files"]),
      ["files"],
    ),
    ...properties("Read", "", { sender_field: was.sender_field }, { sender_field: is.sender_field }),
    ...properties("Map", "", was.map, is.map),
    ...named("Formulas", "formula", formulas(was), formulas(is), []),
    ...named(
      "Formulas",
      "parameter",
      asNamed(was.parameters ?? [], (p) => p.name, ["name"]),
      asNamed(is.parameters ?? [], (p) => p.name, ["name"]),
      ["name"],
    ),
    ...steps(was.cleanse, is.cleanse),
    ...fields(was, is),
    ...named("Check", "check", asNamed(was.check, checkName, ["name"]), asNamed(is.check, checkName, ["name"]), [
      "name",
    ]),
    ...named(
      "Look up",
      "look-up",
      asNamed(was.lookup ?? [], lookUpName, ["name"]),
      asNamed(is.lookup ?? [], lookUpName, ["name"]),
      ["name"],
    ),
    ...properties("Match", "", section(was), section(is)),
    ...named("Match", "compared", compared(was), compared(is), ["in"]),
    ...properties("Load", "", was.load, is.load, ["further"]),
    ...named(
      "Load",
      "further target",
      asNamed(was.load.further ?? [], (f) => f.target, ["target"]),
      asNamed(is.load.further ?? [], (f) => f.target, ["target"]),
      ["target"],
    ),
    ...named(
      "Load",
      "gate",
      asNamed(was.gates, gateName, ["limit", "field"]),
      asNamed(is.gates, gateName, ["limit", "field"]),
      ["limit", "field"],
    ),
  ];
}
