import { z } from "zod";
import type { OptionsOf } from "../kernel/options.ts";
import { codeLetters, countryWords, organisationWords, personWords, placeWords, plainWords } from "./normalise.ts";

/** How alike two prepared values are, from 0 to 1; 1 only for values that are one. Neither is empty. */
export type Compare = (a: string, b: string) => number;

/** What of a value leads to the records that may be the same: see `features.ts`. */
export type Blocking = "words" | "code" | "date" | "number" | "nothing";

/** A comparator: one file each, from which the plan's schema, the editor and the docs come. */
export interface ComparatorPart<Options extends object> {
  readonly id: string;
  readonly title: string;
  /** One sentence for the person who chooses it. */
  readonly about: string;
  /** Where the method was published. */
  readonly source?: string;
  readonly options: z.ZodRawShape;
  readonly blocking: Blocking;
  /** A value as it is compared, "" where there is nothing to compare: a missing value speaks neither for nor against. */
  prepare(options: Options): (text: string) => string;
  compare(options: Options): Compare;
  /** Likenesses from which on a pair is of the second, third, … level; the first is 1, the last is below all of them. */
  readonly levels: readonly number[];
  /** Run as tests: two values as they arrive and their likeness, within 0.005. */
  readonly examples: readonly { options: Options; a: string; b: string; likeness: number }[];
}

/** What a text is, for taking it apart before it is compared. */
export const TEXT_KINDS = ["text", "person", "organisation", "place", "country", "code"] as const;
export type TextKind = (typeof TEXT_KINDS)[number];

/** Words that mean the same, by what they are taken for, set by hand or taken from a reference list. */
export const wordOptions = {
  variants: z
    .record(z.string(), z.array(z.string().min(1).max(60)).max(2000))
    .optional()
    .describe("Words that mean the same, by what they are taken for"),
  variants_from: z
    .string()
    .regex(/^[a-z][a-z0-9_]*$/)
    .optional()
    .describe("A reference list whose synonyms are such words"),
};
export type WordOptions = OptionsOf<typeof wordOptions>;

export const textOptions = {
  as: z
    .enum(TEXT_KINDS)
    .optional()
    .describe(
      "What the text is, which says what in it doesn't matter: titles and particles of a person, legal forms of an organisation, abbreviations of a place, the language and words of a country, marks of a code",
    ),
  ...wordOptions,
};
export type TextOptions = OptionsOf<typeof textOptions>;

const PREPARE: Record<TextKind, (text: string) => string> = {
  text: plainWords,
  person: personWords,
  organisation: organisationWords,
  place: placeWords,
  country: countryWords,
  code: codeLetters,
};

export function prepareText({ as = "text", variants }: TextOptions): (text: string) => string {
  const prepare = PREPARE[as];
  return variants ? withWords(prepare, variants) : prepare;
}

/** Puts what they are taken for in the place of words, or of several words together, once a text is prepared. */
function withWords(
  prepare: (text: string) => string,
  variants: Readonly<Record<string, readonly string[]>>,
): (text: string) => string {
  const words = new Map<string, string>();
  let longest = 1;
  for (const [meant, written] of Object.entries(variants)) {
    for (const w of written) {
      const from = prepare(w);
      if (from === "") continue;
      words.set(from, prepare(meant));
      longest = Math.max(longest, from.split(" ").length);
    }
  }
  return (text) => {
    const all = prepare(text).split(" ");
    const out: string[] = [];
    for (let i = 0; i < all.length;) {
      let taken = 1;
      let word = all[i]!;
      for (let n = Math.min(longest, all.length - i); n > 0; n--) {
        const found = words.get(all.slice(i, i + n).join(" "));
        if (found === undefined) continue;
        [word, taken] = [found, n];
        break;
      }
      if (word !== "") out.push(word);
      i += taken;
    }
    return out.join(" ");
  };
}

/** From the second level on, for comparators of spelling. */
export const SPELLING_LEVELS = [0.94, 0.88, 0.8, 0.7, 0.55] as const;
