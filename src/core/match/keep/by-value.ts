import { best, compareValues, type SurvivorshipPart } from "./part.ts";

export const mostFrequent: SurvivorshipPart<"most frequent"> = {
  id: "most frequent",
  words: "the most frequent value",
  choose(having, members, f) {
    const counts = new Map<string, number>();
    const count = (i: number): number => counts.get(members[i]!.values[f]!) ?? 0;
    for (const i of having) counts.set(members[i]!.values[f]!, count(i) + 1);
    return best(having, (a, b) => count(a) - count(b));
  },
};

export const longest: SurvivorshipPart<"longest"> = {
  id: "longest",
  words: "the longest value",
  choose: (having, members, f) => best(having, (a, b) => members[a]!.values[f]!.length - members[b]!.values[f]!.length),
};

/** By the value itself, numbers as numbers. */
export const greatest: SurvivorshipPart<"greatest"> = {
  id: "greatest",
  words: "the greatest value",
  choose: (having, members, f) => best(having, (a, b) => compareValues(members[a]!.values[f]!, members[b]!.values[f]!)),
};

export const least: SurvivorshipPart<"least"> = {
  id: "least",
  words: "the least value",
  choose: (having, members, f) => best(having, (a, b) => compareValues(members[b]!.values[f]!, members[a]!.values[f]!)),
};
