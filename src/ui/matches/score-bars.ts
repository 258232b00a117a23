import { bandOf, type Band, type LimitsInUse } from "@/core/match/limits.ts";
import { BINS } from "@/core/match/metrics.ts";
import { grouped } from "../kit/words.ts";

/** By bar of the scores from 0 to 100: the band in which its middle lies. */
export function bandsOfBars(limits: LimitsInUse): Band[] {
  return Array.from({ length: BINS }, (_, i) => bandOf(((i + 0.5) * 100) / BINS, limits));
}

/** How many pairs each band has, in words. */
export function wordsOfPairs(pairs: Readonly<Record<Band, number>>): Record<Band, string> {
  return { same: grouped(pairs.same), ask: grouped(pairs.ask), different: grouped(pairs.different) };
}

/** How many pairs each band would have, by the bars alone: “about” so many beside a limit that lies within a bar of some pairs. */
export function wordsOfBars(
  scores: readonly number[],
  bands: readonly Band[],
  limits: LimitsInUse,
): Record<Band, string> {
  const count: Record<Band, number> = { same: 0, ask: 0, different: 0 };
  scores.forEach((n, i) => (count[bands[i]!] += n));
  const within = (limit: number | null): boolean => {
    const at = ((limit ?? 0) * BINS) / 100;
    return at % 1 !== 0 && scores[Math.floor(at)]! > 0;
  };
  const [same, ask] = [within(limits.same), within(limits.ask)];
  const about = (n: number, unsure: boolean): string => `${unsure ? "about " : ""}${grouped(n)}`;
  return {
    same: about(count.same, same),
    ask: about(count.ask, same || ask),
    different: about(count.different, ask),
  };
}
