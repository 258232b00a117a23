import { z } from "zod";
import { codeLetters, organisationWords, personWords, placeWords, plainWords } from "./normalise.ts";

/** How alike two prepared values are, from 0 to 1; 1 only for values that are one. Neither is empty. */
export type Compare = (a: string, b: string) => number;

/** What of a value leads to the records that may be the same: see `features.ts`. */
export type Leads = "words" | "code" | "date" | "number" | "nothing";

/** A comparator: one file each, from which the plan's schema, the editor and the docs come. */
export interface ComparatorPart<Options extends object> {
  readonly id: string;
  readonly title: string;
  /** One sentence for the person who chooses it. */
  readonly about: string;
  /** Where the method was published. */
  readonly source?: string;
  readonly options: z.ZodRawShape;
  readonly leads: Leads;
  /** A value as it is compared, "" where there is nothing to compare: a missing value speaks neither for nor against. */
  prepare(options: Options): (text: string) => string;
  compare(options: Options): Compare;
  /** Likenesses from which on a pair is of the second, third, … level; the first is 1, the last is below all of them. */
  readonly levels: readonly number[];
  /** Run as tests: two values as they arrive and their likeness, within 0.005. */
  readonly examples: readonly { options: Options; a: string; b: string; likeness: number }[];
}

/** What a text is, for taking it apart before it is compared. */
export const TEXT_KINDS = ["text", "person", "organisation", "place", "code"] as const;
export type TextKind = (typeof TEXT_KINDS)[number];

export interface TextOptions {
  readonly as?: TextKind | undefined;
}

export const textOptions = {
  as: z
    .enum(TEXT_KINDS)
    .optional()
    .describe(
      "What the text is, which says what in it doesn't matter: titles and particles of a person, legal forms of an organisation, abbreviations of a place, marks of a code",
    ),
};

const PREPARE: Record<TextKind, (text: string) => string> = {
  text: plainWords,
  person: personWords,
  organisation: organisationWords,
  place: placeWords,
  code: codeLetters,
};

export function prepareText({ as = "text" }: TextOptions): (text: string) => string {
  return PREPARE[as];
}

/** From the second level on, for comparators of spelling. */
export const SPELLING_LEVELS = [0.94, 0.88, 0.8, 0.7, 0.55] as const;
