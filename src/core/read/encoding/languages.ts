import { decodeText } from "./decode.ts";

/**
 * How letters follow one another in a language, for telling which reading of some bytes is words. Learned
 * from the names of countries, languages, currencies and days that the platform has in each language
 * (Unicode's CLDR, by Intl): some thousand letters a language, and nothing that has to be kept here.
 */
export interface LetterModel {
  readonly language: string;
  /** Natural logarithm of how probable a letter is after another; `BOUNDARY` stands for what is no letter. */
  logAfter(before: number, letter: number): number;
}

/** The code that stands for whatever is not a letter. */
export const BOUNDARY = 32;

/** Languages that were written in encodings of their own, by script. */
const LANGUAGES = {
  Latin: [
    ...["de", "fr", "es", "pt", "it", "nl", "da", "nb", "sv", "fi", "is", "ca", "ga", "cy", "mt", "et", "lv", "lt"],
    ...["pl", "cs", "sk", "hu", "ro", "hr", "sl", "sq", "tr", "vi"],
  ],
  Cyrillic: ["ru", "uk", "bg", "sr", "be", "mk"],
  Greek: ["el"],
  Hebrew: ["he"],
  Arabic: ["ar", "fa"],
  Thai: ["th"],
  Han: ["zh-Hans", "zh-Hant", "ja", "ko"],
} as const;
export type Script = keyof typeof LANGUAGES;

/** How many occurrences a letter must have for what follows it to weigh as much as what follows letters in general. */
const STRENGTH = 6;
/** The probability of a letter that a language does not have. */
const FLOOR = 1e-7;

/** Older Romanian texts have the cedilla where newer ones have the comma: one letter in two ways. */
const WITH_COMMA: ReadonlyMap<number, number> = new Map([
  [0x15f, 0x219],
  [0x163, 0x21b],
]);

const models = new Map<Script, readonly LetterModel[]>();

/** The models of the languages of a script; made when they are first asked for. */
export function modelsOf(script: Script): readonly LetterModel[] {
  let made = models.get(script);
  if (!made) {
    made = LANGUAGES[script].map((language) =>
      script === "Han" ? signModel(language, namesIn(language)) : letterModel(language, namesIn(language)),
    );
    models.set(script, made);
  }
  return made;
}

/** All names that the platform has in a language: of countries, languages, currencies, scripts, months and days. */
function namesIn(language: string): readonly string[] {
  const found = new Set<string>();
  const pairs = Array.from({ length: 676 }, (_, i) => String.fromCharCode(65 + Math.floor(i / 26), 65 + (i % 26)));
  const add = (type: Intl.DisplayNamesType, codes: readonly string[]): void => {
    const names = new Intl.DisplayNames(language, { type, fallback: "none" });
    for (const code of codes) {
      const name = nameOf(names, code);
      if (name) found.add(name);
    }
  };
  add("region", pairs);
  add(
    "language",
    pairs.map((p) => p.toLowerCase()),
  );
  add("currency", Intl.supportedValuesOf("currency"));
  for (const calendar of [{ month: "long" }, { weekday: "long" }] as const) {
    const format = new Intl.DateTimeFormat(language, { ...calendar, timeZone: "UTC" });
    for (let i = 0; i < 12; i++) found.add(format.format(Date.UTC(2026, i, 1 + i)));
  }
  return [...found];
}

/** Some codes of two letters are none: they have no name. */
function nameOf(names: Intl.DisplayNames, code: string): string | undefined {
  try {
    return names.of(code);
  } catch {
    return undefined;
  }
}

/**
 * Pairs of letters, mixed with single ones where a pair is rare (MacKay and Peto, 1995), and these with any letter of
 * the language.
 */
function letterModel(language: string, names: readonly string[]): LetterModel {
  const single = new Map<number, number>();
  const pairs = new Map<number, number>();
  const followed = new Map<number, number>();
  let total = 0;
  for (const word of words(names)) {
    let before = BOUNDARY;
    for (const c of [...word, " "]) {
      const letter = c.codePointAt(0)!;
      single.set(letter, (single.get(letter) ?? 0) + 1);
      pairs.set(pairKey(before, letter), (pairs.get(pairKey(before, letter)) ?? 0) + 1);
      followed.set(before, (followed.get(before) ?? 0) + 1);
      total++;
      before = letter;
    }
  }
  const alone = (letter: number): number => Math.max(FLOOR, (single.get(letter) ?? 0) / total);
  /** By the letter before: what was computed of those after it. */
  const kept = new Map<number, Map<number, number>>();
  const fold = (letter: number): number => (language === "ro" ? (WITH_COMMA.get(letter) ?? letter) : letter);
  return {
    language,
    logAfter(first, second) {
      const [before, letter] = [fold(first), fold(second)];
      let after = kept.get(before);
      if (!after) kept.set(before, (after = new Map()));
      let log = after.get(letter);
      if (log === undefined) {
        const n = followed.get(before) ?? 0;
        log = Math.log(((pairs.get(pairKey(before, letter)) ?? 0) + STRENGTH * alone(letter)) / (n + STRENGTH));
        after.set(letter, log);
      }
      return log;
    },
  };
}

const pairKey = (a: number, b: number): number => a * 0x110000 + b;

function* words(names: readonly string[]): Generator<string> {
  for (const name of names)
    yield* (
      name
        .normalize("NFC")
        .toLowerCase()
        .match(/[\p{L}\p{M}]+/gu) ?? []
    );
}

/** What the signs in common use are in the encoding that a language had: the rows of its table for them. */
const COMMON_SIGNS: Readonly<
  Record<string, { encoding: "gb18030" | "big5" | "shift_jis" | "euc-kr"; first: number; last: number }>
> = {
  "zh-Hans": { encoding: "gb18030", first: 0xb0, last: 0xd7 },
  "zh-Hant": { encoding: "big5", first: 0xa4, last: 0xc6 },
  ja: { encoding: "shift_jis", first: 0x88, last: 0x97 },
  ko: { encoding: "euc-kr", first: 0xb0, last: 0xc8 },
};

/** Half of what is written are signs as often as in names, the other half any sign in common use. */
const MIX = 0.5;

/** Signs by themselves: there are too many of them for pairs to be known. */
function signModel(language: string, names: readonly string[]): LetterModel {
  const single = new Map<number, number>();
  let total = 0;
  for (const word of words(names)) {
    for (const c of word) {
      single.set(c.codePointAt(0)!, (single.get(c.codePointAt(0)!) ?? 0) + 1);
      total++;
    }
  }
  const { encoding, first, last } = COMMON_SIGNS[language]!;
  const common = new Set<number>();
  for (let lead = first; lead <= last; lead++) {
    const bytes = Uint8Array.from({ length: 2 * 0xbf }, (_, i) => (i % 2 === 0 ? lead : 0x40 + (i >> 1)));
    for (const c of decodeText(bytes, encoding)) if (/\p{L}/u.test(c)) common.add(c.codePointAt(0)!);
  }
  if (language === "ja") for (let kana = 0x3041; kana <= 0x30fe; kana++) common.add(kana);
  return {
    language,
    logAfter(_, letter) {
      // Words are not parted by blanks there, so where one ends says nothing.
      if (letter === BOUNDARY) return 0;
      const seen = (single.get(letter) ?? 0) / total;
      const any = common.has(letter) ? 1 / common.size : 0;
      return Math.log(Math.max(FLOOR, MIX * seen + (1 - MIX) * any));
    },
  };
}
