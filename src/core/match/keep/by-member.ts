import { best, compareValues, type SurvivorshipPart } from "./part.ts";

/** Of the members in their order, which is that of the delivery, the target's first. */
export const first: SurvivorshipPart<"first"> = {
  id: "first",
  words: "the first one’s",
  choose: (having) => having[0]!,
};

export const last: SurvivorshipPart<"last"> = {
  id: "last",
  words: "the last one’s",
  choose: (having) => having.at(-1)!,
};

/** Of the member that is the most recent by its date or number. */
export const recent: SurvivorshipPart<"recent"> = {
  id: "recent",
  words: "the most recent record’s",
  choose: (having, members) =>
    best(having, (a, b) => compareValues(members[a]!.recent ?? "", members[b]!.recent ?? "")),
};

/** Of the member that has the most values. */
export const complete: SurvivorshipPart<"complete"> = {
  id: "complete",
  words: "the most complete record’s",
  choose: (having, members) => best(having, (a, b) => members[a]!.filled - members[b]!.filled),
};

/** Of the member that is from whom the plan trusts most. */
export const trusted: SurvivorshipPart<"trusted"> = {
  id: "trusted",
  words: "the most trusted one’s",
  needs: "trust",
  choose: (having, members) => best(having, (a, b) => (members[a]!.trust ?? 0) - (members[b]!.trust ?? 0)),
};

/** Of the member for which the plan's formula gives most. */
export const ranked: SurvivorshipPart<"ranked"> = {
  id: "ranked",
  words: "the one’s that a formula ranks highest",
  needs: "rank",
  // Two that have no rank are minus infinity both, whose difference is no number.
  choose: (having, members) =>
    best(having, (a, b) => (members[a]!.rank ?? -Infinity) - (members[b]!.rank ?? -Infinity) || 0),
};
