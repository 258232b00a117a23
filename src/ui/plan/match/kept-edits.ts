import type { Survivorship } from "@/core/match/keep/index.ts";
import type { MatchSection } from "@/core/match/schema.ts";
import type { Plan } from "@/core/plan/document.ts";

/** A match that names another field for something, or none. */
export function withField(
  match: MatchSection,
  part: "recent" | "score_in" | "lead_in",
  name: string | undefined,
): MatchSection {
  const { [part]: _, ...rest } = match;
  return name === undefined ? rest : { ...rest, [part]: name };
}

/**
 * A match with another rule for whose value of a field is kept; null: with none of its own. What a rule goes by
 * must be said, so it begins with something that can be.
 */
export function withKept(plan: Plan, match: MatchSection, name: string, rule: Survivorship | null): MatchSection {
  const { keep: kept, ...without } = match;
  const { [name]: _, ...rest } = kept ?? {};
  const keep = rule ? { ...rest, [name]: rule } : rest;
  if (Object.keys(keep).length === 0) return without;
  if (rule === "trusted" && !match.trust) {
    return { ...without, trust: { field: plan.contract.fields[0]!.name, order: ["first"] }, keep };
  }
  if (rule === "ranked" && match.rank === undefined) return { ...without, rank: "0", keep };
  return { ...without, keep };
}
