import { tellsNext, type FieldFacts } from "./fields.ts";
import { THERE, isSame, type Fit, type Kind, type Source } from "./kinds.ts";

/**
 * Fields that tell one thing from another and are its own, not of those that it belongs to; all that tell things
 * apart where there are none. Two sources may well sort the same thing into other ones of ten categories.
 */
function ownFields(facts: readonly FieldFacts[]): number[] {
  const telling = facts.flatMap((f, i) => (f.telling && !f.silent ? [i] : []));
  const own = telling.filter((i) => !facts[i]!.shared);
  const identifying = own.filter((i) => facts[i]!.identifying);
  return [identifying, own].find((list) => list.length > 0) ?? telling;
}

function differing(fit: Fit, name: string, f: number, facts: readonly FieldFacts[]): number {
  const kind = fit.kinds.find((k) => k.name === name);
  if (!kind) return 0;
  return kind.fields[f]!.shares.reduce((n, x, l) => n + (facts[f]!.different[l] ? x : 0), 0);
}

/** From which share that is alike on, and of that below which share that is equal, values are next to each other and not written otherwise. */
interface NextTo {
  readonly alike: number;
  readonly equal: number;
}
/** Of what is taken for the same: however carelessly things are written, one in five is written as it is. */
const OF_SAME: NextTo = { alike: 0.7, equal: 0.2 };
/** Of what is taken for belonging together: all of it, or it may be the same with a slip. */
const OF_RELATED: NextTo = { alike: 0.85, equal: 0.05 };

/**
 * Whether pairs of a kind are nearly alike in a field that tells things apart, and hardly ever equal. Who slips writes
 * more right than wrong: what is always one off is the next number, the next flat, the next part, and another thing.
 */
function isNextTo(kind: Kind, f: number, facts: readonly FieldFacts[]): boolean {
  if (!tellsNext(facts[f]!)) return false;
  const { alike: least, equal } = isSame(kind.name) ? OF_SAME : OF_RELATED;
  const alike = alikeIn(kind, f, facts[f]!);
  return alike > least && kind.fields[f]!.shares[0]! < equal * alike;
}

/** The share of a kind's pairs that are alike in a field. */
function alikeIn(kind: Kind, f: number, { different }: FieldFacts): number {
  return kind.fields[f]!.shares.reduce((n, x, l) => n + (different[l] ? 0 : x), 0);
}

/** Of same pairs most have the same numbers in what tells things apart; of shared fields this is asked where most are alike. */
const MOST_OTHER = { numbers: 0.5, alike: 0.5 };

/** The fields that tell things apart, in which some of what a fit takes for the same has other numbers more often than not. */
export function withOtherNumbers(fit: Fit, facts: readonly FieldFacts[]): number[] {
  const there = kindsThere(fit);
  return facts.flatMap((fact, f) => {
    if (!tellsNext(fact)) return [];
    const off = fit.kinds.some(
      (kind, k) =>
        isSame(kind.name) &&
        there.includes(kind) &&
        fit.otherNumbers[k]![f]! > MOST_OTHER.numbers &&
        (!fact.shared || alikeIn(kind, f, fact) > MOST_OTHER.alike),
    );
    return off ? [f] : [];
  });
}

/** The fields in which some of what a fit takes for the same is next to each other: it has other numbers, or is hardly ever equal. */
function fieldsNextTo(fit: Fit, facts: readonly FieldFacts[]): number[] {
  const same = kindsThere(fit).filter(({ name }) => isSame(name));
  const off = withOtherNumbers(fit, facts);
  return facts.flatMap((_, f) => (off.includes(f) || same.some((kind) => isNextTo(kind, f, facts)) ? [f] : []));
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
  const parted = fieldsNextTo(fit, facts);
  return kindsThere(fit).every(
    (kind) =>
      isSame(kind.name) ||
      own.some((f) => differing(fit, kind.name, f, facts) > least) ||
      facts.some((_, f) => isNextTo(kind, f, facts) && !parted.includes(f)),
  );
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
  if (fieldsNextTo(fit, facts).length > 0) return false;
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
      fit.start.mostWithin === undefined &&
      own.every((f) => differing(fit, "same", f, facts) <= REPEATS.mostDifferent) &&
      fieldsNextTo(fit, facts).length === 0,
  );
  // Where there are pairs that only belong together, a fit without such a kind takes them for the same.
  const apart = told.filter((fit) => kindsThere(fit).some(({ name }) => !isSame(name)));
  const fit = (apart.length > 0 ? apart : told).reduce<Fit | null>((x, y) => (x && x.gain >= y.gain ? x : y), null);
  if (!fit) return found;
  const [across, ...within] = sameOfRecord(fit, sources) as [number, ...number[]];
  within.forEach((same, i) => {
    if (same > Math.max(REPEATS.share, REPEATS.ofAcross * across)) found.add(i + 1);
  });
  return found;
}

/** By source: how many same pairs a record has. Those that have moved may be namesakes: they say too little. */
export function sameOfRecord(fit: Fit, sources: readonly Source[]): number[] {
  const { prior } = fit.kinds.find((k) => k.name === "same")!;
  return sources.map((source, s) => prior[s]! * source.pool.others);
}

/** Where a side has nearly as many same pairs for a record as there are across, these may be what only belongs together. */
const AS_MANY_WITHIN = 0.85;

/** Whether what a fit takes for the same is within a side about as frequent as across, as what only belongs together is. */
export function isAsFrequentWithin(fit: Fit, sources: readonly Source[]): boolean {
  const [across, ...within] = sameOfRecord(fit, sources) as [number, ...number[]];
  return within.some((same) => same > AS_MANY_WITHIN * across);
}

/** Fields in which a fit's same pairs differ more often than is to be believed, or are next to each other, the most often first. */
export function differingFields(fit: Fit, facts: readonly FieldFacts[]): number[] {
  const nextTo = fieldsNextTo(fit, facts);
  const share = (f: number): number => (nextTo.includes(f) ? 1 : differing(fit, "same", f, facts));
  return [...new Set([...nextTo, ...ownFields(facts)])]
    .filter((f) => share(f) > BELIEVABLE)
    .sort((x, y) => share(y) - share(x));
}

/** How much a fit's same pairs differ in fields that tell things apart. */
export function differingOwn(fit: Fit, facts: readonly FieldFacts[]): number {
  const nextTo = fieldsNextTo(fit, facts);
  const own = ownFields(facts).filter((f) => !nextTo.includes(f));
  return nextTo.length + own.reduce((n, f) => n + differing(fit, "same", f, facts), 0);
}

/** Related pairs for each pair that is the same: with more, what is taken for the same may be the likeliest of them. */
const MOST_RELATED = 4;

/** So many pairs that only belong together, for each pair that is the same, may look like it: as many as may be joined wrongly. */
const MOST_LOOKALIKES = 0.02;

/** Of pairs that only belong together those that agree in all fields of their own, for each pair that is the same. */
function lookalikes(fit: Fit, facts: readonly FieldFacts[]): number {
  const own = ownFields(facts);
  return relatedOfSame(fit, ({ name, prior }) =>
    own.reduce((n, f) => n * (1 - differing(fit, name, f, facts)), prior[0]!),
  );
}

/** For each pair that is the same, how many only belong together, or how many of these. */
function relatedOfSame(fit: Fit, of: (related: Kind) => number): number {
  const related = fit.kinds.filter(({ name }) => !isSame(name));
  return related.reduce((n, kind) => n + of(kind), 0) / shareOfSame(fit);
}

/** Of all pairs the share that is the same. */
function shareOfSame({ kinds }: Fit): number {
  return kinds.reduce((n, { name, prior }) => n + (isSame(name) ? prior[0]! : 0), 0);
}

/** Whether pairs that only belong together are not so many more than the same ones that these can't be told from them. */
export function isRareEnough(fit: Fit, facts: readonly FieldFacts[]): boolean {
  const related = relatedOfSame(fit, ({ prior }) => prior[0]!);
  return related <= MOST_RELATED && lookalikes(fit, facts) <= MOST_LOOKALIKES;
}

/** Whether a fit sees so much that only belongs together and looks like the same that one which knows nothing of it would take it for that. */
export function seesLookalikes(fit: Fit, facts: readonly FieldFacts[]): boolean {
  return relatedDiffer(fit, facts, RELATED_DIFFER.alone) && lookalikes(fit, facts) > MOST_LOOKALIKES;
}

/** Same pairs for each record of one file: with more, what is taken for noise may be what tells things apart, such as the titles of an album's songs. */
const MOST_SAME = 1;

/** Whether a fit may take for the same what only belongs together since the field that tells it apart was taken for noise. */
export function mayHaveSilenced(fit: Fit, facts: readonly FieldFacts[], others: number): boolean {
  return shareOfSame(fit) * others > MOST_SAME && facts.some((f) => f.silent && f.identifying);
}
