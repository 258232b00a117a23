import { comparedText } from "@/core/match/schema.ts";
import type { PairOrder } from "@/core/match/model/asked.ts";
import type { Decision } from "@/core/match/resolve.ts";
import { whyWords } from "@/core/match/why.ts";
import { counted, grouped } from "@/core/kernel/problem.ts";
import type { AskedPair, PairFilter, PairPlan } from "@/store/matches.ts";

/** What became of a record whose pair was decided. */
export interface Settled {
  readonly load: number;
  readonly record: number;
  readonly state: "waiting" | "inserted" | "merged";
  readonly problem: string | null;
}

/** What a decision about so many pairs did, in words. */
export function settledWords(pairs: number, decision: Decision, settled: readonly Settled[]): string {
  const of = (state: Settled["state"]): number => settled.filter((s) => s.state === state).length;
  const what = [
    of("inserted") > 0 ? `${counted(of("inserted"), "record")} inserted` : "",
    of("merged") > 0 ? `${counted(of("merged"), "record")} merged` : "",
  ].filter((w) => w !== "");
  const stuck = settled.find((s) => s.problem !== null);
  const then = what.length > 0 ? what.join(", ") : "the record still waits for another pair";
  return `${counted(pairs, "pair")}: ${decision}; ${then}${stuck ? `. ${stuck.problem}` : ""}`;
}

/** A pair's load, and the plan that its values are of: that of the load, or of a later release. */
export const planKey = (p: Pick<AskedPair, "load" | "plan">): string => `${p.load} ${p.plan}`;

/** What of a record a field compares. */
export function valueOf(values: readonly string[], plan: PairPlan, names: readonly string[]): string {
  return comparedText({ in: names }, (name) => values[plan.fields.findIndex((f) => f.name === name)] ?? "");
}

/** By compared field, why it speaks for or against the pair. */
export function reasonsOf(pair: AskedPair, plan: PairPlan | undefined): string[] {
  if (!plan) return [];
  return plan.match.fields.map((f, i) =>
    whyWords(f, valueOf(pair.values, plan, f.in), valueOf(pair.otherValues, plan, f.in), pair.shares[i] ?? 0),
  );
}

/** Names enough to know each record of a pair by. */
export function titleOf(pair: AskedPair, plan: PairPlan | undefined): [string, string] {
  if (!plan) return ["", ""];
  const by = (kind: string) => plan.match.fields.filter((f) => f.by === kind).slice(0, 2);
  const names = [by("person"), by("words"), plan.match.fields.slice(0, 1)].find((list) => list.length > 0) ?? [];
  const title = (values: readonly string[]): string => names.map((f) => valueOf(values, plan, f.in)).join(" ");
  return [title(pair.values), title(pair.otherValues)];
}

/** The page with these pairs in an order. */
export function pairsHref({ feed, load }: PairFilter, order: PairOrder): string {
  const query = new URLSearchParams({
    ...(feed !== undefined && { feed }),
    ...(load !== undefined && { load: String(load) }),
    ...(order !== "alike" && { order }),
  });
  return query.size === 0 ? "/matches" : `/matches?${query}`;
}

/** What was decided before about pairs of about the same score; empty where nothing was. */
export function decidedWords(before: readonly { from: number; same: number; all: number }[], score: number): string {
  const near = before.filter((b) => Math.abs(b.from + 5 - score) <= 10);
  const all = near.reduce((n, b) => n + b.all, 0);
  if (all === 0) return "";
  const same = near.reduce((n, b) => n + b.same, 0);
  const [from, to] = [near[0]!.from, near.at(-1)!.from + 10];
  return `Of pairs that were decided between ${from} and ${to}, ${grouped(same)} of ${grouped(all)} were the same.`;
}

/** How far a pair's score is from that of the next candidate, in words. */
export function leadWords({ score, lead }: Pick<AskedPair, "score" | "lead">): string {
  if (lead === null) return "There is no other candidate.";
  const next = Math.round(score - lead);
  return lead >= 0
    ? `The next candidate has ${next}: a lead of ${Math.round(lead)}.`
    : `Another candidate has ${next}.`;
}
