import type { FieldFacts } from "./fields.ts";
import { THERE, isSame, type Fit, type Kind, type Source } from "./kinds.ts";

/** Fields that tell things apart and are their own, not of those that they belong to; all that tell things apart where there are none. */
function ownFields(facts: readonly FieldFacts[]): number[] {
  const telling = facts.flatMap((f, i) => (f.telling && !f.silent ? [i] : []));
  const own = telling.filter((i) => !facts[i]!.shared);
  return own.length > 0 ? own : telling;
}

function differing(fit: Fit, name: string, f: number, facts: readonly FieldFacts[]): number {
  const kind = fit.kinds.find((k) => k.name === name);
  if (!kind) return 0;
  return kind.fields[f]!.shares.reduce((n, x, l) => n + (facts[f]!.different[l] ? x : 0), 0);
}

/** In a field of its own same pairs differ less often than this if they are to be believed. */
const BELIEVABLE = 0.12;
/** And in none of them more often than this. */
const HARDLY_BELIEVABLE = 0.3;

/** The kinds of pairs of which there are enough to speak of. */
function kindsThere({ kinds }: Fit): readonly Kind[] {
  const least = THERE * kinds.find((k) => k.name === "same")!.prior[0]!;
  return kinds.filter((k) => k.prior[0]! >= least);
}

/** Whether what a fit takes for pairs that only belong together differs in what tells things apart: else it is the same by another name. */
export function relatedDiffer(fit: Fit, facts: readonly FieldFacts[], least: number): boolean {
  const own = ownFields(facts);
  return kindsThere(fit).every(({ name }) => isSame(name) || own.some((f) => differing(fit, name, f, facts) > least));
}

/** In one field of their own at least related pairs differ more often than this; by the model's word alone, nearly always. */
export const RELATED_DIFFER = { counted: 0.5, alone: 0.75 };

/**
 * Whether what a fit takes for the same agrees in what tells things apart, but for one field at most. Of
 * pairs that only belong together two such fields differ, of same ones hardly ever more than one.
 */
export function sameAgree(fit: Fit, facts: readonly FieldFacts[]): boolean {
  const own = ownFields(facts);
  // Parts of a series have all in common but their pages.
  if (own.some((f) => differing(fit, "same", f, facts) > HARDLY_BELIEVABLE)) return false;
  return kindsThere(fit).every(
    ({ name }) => !isSame(name) || own.filter((f) => differing(fit, name, f, facts) > BELIEVABLE).length < 2,
  );
}

/** How often a record has a same one within a side, for it to be said that the side has repeats. */
const REPEATS = { share: 0.03, ofAcross: 0.3, mostDifferent: 0.2 };

/** The sources, beside the one in question, that have same pairs of their own: by the likeliest fit that tells these from what only belongs together. */
export function withRepeats(
  fits: readonly Fit[],
  sources: readonly Source[],
  facts: readonly FieldFacts[],
): Set<number> {
  const found = new Set<number>();
  const own = ownFields(facts);
  const told = fits.filter(
    (fit) =>
      fit.start.mostWithin === undefined && own.every((f) => differing(fit, "same", f, facts) <= REPEATS.mostDifferent),
  );
  // Where there are pairs that only belong together, a fit without such a kind takes them for the same.
  const apart = told.filter((fit) => kindsThere(fit).some(({ name }) => !isSame(name)));
  const fit = (apart.length > 0 ? apart : told).reduce<Fit | null>((x, y) => (x && x.gain >= y.gain ? x : y), null);
  if (!fit) return found;
  // Those that have moved may be namesakes: they say too little.
  const { prior } = fit.kinds.find((k) => k.name === "same")!;
  const same = (s: number): number => prior[s]! * sources[s]!.pool.others;
  for (let s = 1; s < sources.length; s++)
    if (same(s) > Math.max(REPEATS.share, REPEATS.ofAcross * same(0))) found.add(s);
  return found;
}

/** How much a fit's same pairs differ in fields of their own. */
export function differingOwn(fit: Fit, facts: readonly FieldFacts[]): number {
  return ownFields(facts).reduce((n, f) => n + differing(fit, "same", f, facts), 0);
}

/** Related pairs for each pair that is the same: with more, what is taken for the same may be the likeliest of them. */
const MOST_RELATED = 4;

/** Whether pairs that only belong together are not so many more than the same ones that these can't be told from them. */
export function isRareEnough(fit: Fit): boolean {
  const sum = (same: boolean): number => fit.kinds.reduce((n, k) => n + (isSame(k.name) === same ? k.prior[0]! : 0), 0);
  return sum(false) <= MOST_RELATED * sum(true);
}
