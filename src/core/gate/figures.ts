import type { GateInput } from "./judge.ts";
import type { Figure } from "../report/figures.ts";
import { compilePattern } from "../kernel/pattern.ts";
import type { Gate } from "../plan/schema.ts";
import { counted, grouped } from "../kernel/problem.ts";
import { HISTORY_LOADS, LEAST_HISTORY, isOver, medianOf, percent } from "./usual.ts";

/** What a gate on figures comes to. */
export interface Judged {
  readonly passed: boolean;
  readonly message: string;
}

/** Text that came with a delivery and is no record: the last lines of a file, or a file beside it. */
export interface ControlText {
  readonly name: string;
  readonly text: string;
}

type Of<Limit extends Gate["limit"]> = Extract<Gate, { limit: Limit }>;

const DAY_MS = 86_400_000;

function tooFew(n: number): Judged {
  return { passed: true, message: `Only ${counted(n, "load")} before: too few to say what is usual.` };
}

function figuresOf(input: GateInput, field: string): { now: Figure | undefined; before: Figure[] } {
  const own = (list: readonly Figure[] | undefined): Figure | undefined => list?.find((f) => f.field === field);
  return {
    now: own(input.figures),
    before: input.history.flatMap((h) => own(h.figures) ?? []).filter((f) => f.count > 0),
  };
}

/** A number with as many digits as a person needs to compare it. */
function short(n: number): string {
  return Number.isInteger(n) ? grouped(n) : Number(n.toPrecision(6)).toLocaleString("en", { maximumFractionDigits: 6 });
}

/** The sum, or the mean, of a field against the median of the sender's loads before. */
export function judgeAgainstUsual(gate: Of<"sum against history" | "mean against history">, input: GateInput): Judged {
  const { now, before } = figuresOf(input, gate.field);
  if (before.length < LEAST_HISTORY) return tooFew(before.length);
  const mean = gate.limit === "mean against history";
  const of = (f: Figure): number => Number(f.sum ?? 0) / (mean ? f.count : 1);
  const what = mean ? "mean" : "sum";
  if (!now || now.count === 0) return { passed: false, message: `${gate.field} has no value, so it has no ${what}.` };
  const usual = medianOf(before.map(of));
  const own = of(now);
  const apart = own === usual ? 0 : usual === 0 ? Infinity : Math.abs(own - usual) / Math.abs(usual);
  return {
    passed: !isOver(apart, gate.share),
    message: `The ${what} of ${gate.field} is ${short(own)}; in the last ${Math.min(HISTORY_LOADS, before.length)} loads of the sender it was ${short(usual)} as a rule, and ${percent(gate.share)} more or less is allowed.`,
  };
}

/**
 * How far a field's values are spread otherwise than in the sender's loads before: the share of the
 * records that would have to have another value (total variation distance). Values that only one of
 * the two tells apart count in full.
 */
export function judgeDistribution(gate: Of<"distribution against history">, input: GateInput): Judged {
  const { now, before } = figuresOf(input, gate.field);
  if (before.length < LEAST_HISTORY) return tooFew(before.length);
  if (!now || now.count === 0) return { passed: false, message: `${gate.field} has no value.` };
  const total = before.reduce((n, f) => n + f.count, 0);
  const usual = new Map<string, number>();
  for (const f of before) {
    for (const [value, share] of f.shares ?? []) usual.set(value, (usual.get(value) ?? 0) + (share * f.count) / total);
  }
  const own = new Map(now.shares ?? []);
  const rest = (map: ReadonlyMap<string, number>): number => 1 - [...map.values()].reduce((n, s) => n + s, 0);
  let moved = Math.abs(rest(own) - rest(usual));
  const by: { value: string; from: number; to: number }[] = [];
  for (const value of new Set([...own.keys(), ...usual.keys()])) {
    const [from, to] = [usual.get(value) ?? 0, own.get(value) ?? 0];
    moved += Math.abs(to - from);
    by.push({ value, from, to });
  }
  moved /= 2;
  const most = by
    .filter((b) => Math.abs(b.to - b.from) >= 0.0005)
    .sort((a, b) => Math.abs(b.to - b.from) - Math.abs(a.to - a.from))
    .slice(0, 3)
    .map((b) => `${b.value} from ${percent(b.from)} to ${percent(b.to)}`);
  return {
    passed: !isOver(moved, gate.over),
    message: `${percent(moved)} of the values of ${gate.field} are others than usual, and ${percent(gate.over)} may be${most.length > 0 ? `: ${most.join(", ")}` : ""}.`,
  };
}

/** How old the newest day or moment of a field is when the delivery comes. */
export function judgeFreshness(gate: Of<"freshness">, input: GateInput): Judged {
  const { now } = figuresOf(input, gate.field);
  if (!now?.newest)
    return { passed: false, message: `${gate.field} has no value, so nothing says how fresh the records are.` };
  if (input.received === null) return { passed: true, message: "Nothing says when the delivery came." };
  const newest = Date.parse(`${now.newest.slice(0, 10)}T00:00:00Z`);
  const days = Math.floor((input.received.getTime() - newest) / DAY_MS);
  return {
    passed: days <= gate.days,
    message: `The newest ${gate.field} is ${now.newest.slice(0, 10)}, ${counted(Math.max(0, days), "day")} before the delivery came; ${counted(gate.days, "day")} are allowed.`,
  };
}

/** What the sender says was sent, against what was read. */
export function judgeControl(gate: Of<"control totals">, input: GateInput): Judged {
  const where = gate.in === "side file" ? `a file ${gate.name ?? ""}` : "the last lines";
  const pattern = compilePattern(gate.find);
  const found = input.controls.flatMap((c) => pattern.groups(c.text));
  if (found.length === 0) {
    return {
      passed: false,
      message: `The control totals were not found in ${where}${input.controls.length === 0 ? ", for there is none" : ""}.`,
    };
  }
  const said = (group: string): number | null => {
    const texts = found.flatMap((g) => g[group] ?? []);
    if (texts.length === 0) return null;
    return texts.reduce((n, t) => n + Number(t.replace(/[\s,'](?=\d{3}(\D|$))/g, "")), 0);
  };
  const parts: string[] = [];
  let passed = true;
  const compare = (what: string, theirs: number | null, ours: number, within: number): void => {
    if (theirs === null) {
      passed = false;
      parts.push(`they don't say ${what}`);
      return;
    }
    const agree = Math.abs(theirs - ours) <= within + Math.abs(theirs) * 1e-12;
    passed &&= agree;
    parts.push(
      `${what}: ${short(theirs)} announced, ${short(ours)} read${agree ? "" : `, ${short(Math.abs(theirs - ours))} ${ours < theirs ? "too few" : "too many"}`}`,
    );
  };
  if (gate.records) compare("records", said(gate.records), input.read, 0);
  for (const { field, group, within = 0 } of gate.sums ?? []) {
    const figure = input.figures.find((f) => f.field === field);
    compare(`sum of ${field}`, said(group), Number(figure?.sum ?? 0), within);
  }
  return { passed, message: `${parts.join("; ")}.` };
}
