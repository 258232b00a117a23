import { charactersOf, isManyBytes, textDecoder } from "./decode.ts";
import { BOUNDARY, modelsOf, type LetterModel, type Script } from "./languages.ts";
import { ENCODINGS, type Encoding } from "./names.ts";

/** Different words with bytes over 127 that are looked at. */
const MOST_WORDS = 400;
/** A longer word, such as all of a text without blanks, is cut off there, in bytes. */
const LONGEST_WORD = 400;
/** Words that are shown in two readings. */
const SHOWN = 4;

/** Encodings that are seldom met, or hardly ever any more, must be so much more probable, as a natural logarithm. */
const RARE = 5;
const GONE = 10;
/** Those of old computers that nobody uses, for a language or two each. */
const OLD: ReadonlySet<Encoding> = new Set([
  ...(["maciceland", "maccroatian", "macromania", "maccenteuro", "macgreek", "macturkish", "x-mac-cyrillic"] as const),
  ...(["cp860", "cp861", "cp863", "cp865", "cp869"] as const),
]);
/** Met by chance more often than any other. */
const COMMON: ReadonlySet<Encoding> = new Set([
  ...(["windows-1250", "windows-1251", "windows-1252", "windows-1253", "windows-1254", "windows-1255"] as const),
  ...(["windows-1256", "windows-1257", "windows-1258", "windows-874"] as const),
  ...(["shift_jis", "euc-jp", "gb18030", "big5", "euc-kr", "koi8-r"] as const),
]);
/** A reading that is not this much more probable than the next one is doubtful, as a natural logarithm. */
export const LEAST_MARGIN = 15;

/** Costs of what no language does, as natural logarithms. */
const COST = {
  /** A capital after a small letter. */
  capitalWithin: 12,
  /** Letters of two scripts in one word. */
  scripts: 7,
  /** A sign where texts have it: a quotation mark around a word, a degree after a number. */
  usualSign: 6,
  /** An apostrophe in a word. */
  within: 9,
  /** The same where they don't: before a letter or after one, and within a word. */
  besideLetter: 12,
  betweenLetters: 20,
  /** Any other: a piece of a frame, a mathematical sign. */
  oddSign: 20,
  /** A byte that the encoding leaves undefined, a control character. */
  undefined: 30,
};

/** Signs that stand before words, after them, within them, and by themselves or beside numbers. */
const BEFORE = /[“„«‘‚‹¿¡]/;
const AFTER = /[”“»’›…ºª®™]/;
const WITHIN = /[’·]/;
const ALONE = /[“”„«»‘’‚‹›–—…•°§№€£¥©®™\u00a0±×½¼¾²³·ºª¿¡\u3000-\u303f\uff01-\uff0f\uff1a-\uff20\u30fb\u30fc]/;

/** What a sign costs between what stands before and after it. */
function signCost(sign: string, letterBefore: boolean, letterAfter: boolean): number {
  if (sign === "\ufffd" || sign < "\u00a0" || (sign >= "\ue000" && sign < "\uf900")) return COST.undefined;
  if (!ALONE.test(sign)) return COST.oddSign;
  // Scripts without blanks have signs anywhere.
  if (sign >= "\u3000") return COST.usualSign;
  if (letterBefore && letterAfter) return WITHIN.test(sign) ? COST.within : COST.betweenLetters;
  if (letterAfter) return BEFORE.test(sign) ? COST.usualSign : COST.besideLetter;
  if (letterBefore) return AFTER.test(sign) ? COST.usualSign : COST.besideLetter;
  return COST.usualSign;
}

/** A reading of bytes: an encoding, how probable it is beside others as a natural logarithm, and the language that it fits best. */
export interface Reading {
  readonly encoding: Encoding;
  readonly log: number;
  readonly language: string;
}

export interface Guess {
  readonly best: Reading;
  /** The next best that reads some word differently; null where all others read the same. */
  readonly next: Reading | null;
  /** How much more probable the best is, as a natural logarithm. */
  readonly margin: number;
  /** Words as both read them. */
  readonly words: readonly (readonly [best: string, next: string])[];
}

/**
 * The encoding of a text whose bytes over 127 are not UTF-8. Every encoding is tried: bytes that it leaves undefined, capitals
 * within words and words of two scripts speak against it, letters that follow one another as
 * they do in a language for it. Two that read all the same are one.
 * @param bytes the beginning of a file, its last character perhaps cut off
 */
export function guessEncoding(bytes: Uint8Array): Guess {
  const words = wordsOf(bytes);
  const judged: Judged = { words: new Map(), readings: new Map() };
  const readings = ENCODINGS.filter((e) => !e.startsWith("utf-") && e !== "iso-2022-jp")
    .flatMap((encoding) => readWith(encoding, words, judged) ?? [])
    .sort((a, b) => b.log - a.log);
  const [best] = readings as [Read, ...Read[]];
  const next = readings.find((r) => r.texts.some((t, i) => t !== best.texts[i])) ?? null;
  const shown: (readonly [string, string])[] = [];
  for (let i = 0; next && i < words.length && shown.length < SHOWN; i++) {
    if (best.texts[i] !== next.texts[i]) shown.push([best.texts[i]!, next.texts[i]!]);
  }
  return { best, next, margin: next ? best.log - next.log : Infinity, words: shown };
}

interface Read extends Reading {
  readonly texts: readonly string[];
}

/** No encoding of several bytes has these within a character: digits are left in, as one of them has those. */
const parts = (byte: number): boolean => byte < 0x30 || (byte > 0x39 && byte < 0x40);

/** The different words that have bytes over 127. */
function wordsOf(bytes: Uint8Array): Uint8Array[] {
  const found = new Map<string, Uint8Array>();
  let from = 0;
  let high = false;
  for (let p = 0; p <= bytes.length && found.size < MOST_WORDS; p++) {
    const byte = bytes[p];
    if (byte !== undefined && !parts(byte)) {
      if (byte > 127) high = true;
      continue;
    }
    if (high && p < bytes.length) {
      const word = bytes.subarray(from, Math.min(p, from + LONGEST_WORD));
      found.set(String.fromCharCode(...word), word);
    }
    from = p + 1;
    high = false;
  }
  // All of one word, as of a text without blanks, which the end has cut off.
  if (found.size === 0) found.set("", bytes.subarray(from, Math.min(bytes.length, from + LONGEST_WORD)));
  return [...found.values()];
}

/** What was found out of words as one encoding reads them, for the others that read them alike. */
interface Judged {
  /** By script and word: how probable it is in each language of the script, as natural logarithms. */
  readonly words: Map<string, readonly number[]>;
  /** By the words together: how probable they are, and in which language. */
  readonly readings: Map<string, { readonly log: number; readonly model: LetterModel }>;
}

function readWith(encoding: Encoding, words: readonly Uint8Array[], judged: Judged): Read | null {
  const texts = decodeWords(encoding, words);
  if (!texts) return null;
  const together = texts.join("\n");
  let known = judged.readings.get(together);
  if (!known) judged.readings.set(together, (known = judge(texts, judged.words)));
  const { log, model } = known;
  const prior = encoding === "windows-1252" ? 0 : COMMON.has(encoding) ? 1 : OLD.has(encoding) ? GONE : RARE;
  return { encoding, log: log - prior, language: model.language, texts };
}

/** How probable texts are in the languages of their script. `words`: what is known of each already, and what is found out. */
function judge(texts: readonly string[], words: Judged["words"]): { log: number; model: LetterModel } {
  const scripts = scriptsOf(texts);
  const models = scripts.flatMap((s) => modelsOf(s));
  const logs = texts.map((text) => {
    const at = `${scripts.join()} ${text}`;
    let known = words.get(at);
    if (!known) {
      const { pairs, cost } = pairsOf(text);
      known = models.map((m) => pairs.reduce((log, [before, letter]) => log + m.logAfter(before, letter), -cost));
      words.set(at, known);
    }
    return known;
  });
  return mixtureOf(logs, models);
}

/** What one language more must explain to be taken for one that words are of, as a natural logarithm. */
const LANGUAGE_MORE = 6;

/**
 * How probable words are, as a natural logarithm, and the language that fits them best. Names come from several
 * languages: another is taken to be among them where that explains more than it costs.
 */
function mixtureOf(
  logs: readonly (readonly number[])[],
  models: readonly LetterModel[],
): { log: number; model: LetterModel } {
  const chosen: number[] = [];
  let best = -Infinity;
  for (;;) {
    let next = { log: -Infinity, m: -1 };
    models.forEach((_, m) => {
      if (chosen.includes(m)) return;
      const log = logs.reduce((sum, word) => sum + logMean([...chosen, m].map((l) => word[l]!)), 0);
      if (log > next.log) next = { log, m };
    });
    const log = next.log - LANGUAGE_MORE * chosen.length;
    if (next.m < 0 || log <= best) break;
    chosen.push(next.m);
    best = log;
  }
  return { log: best, model: models[chosen[0]!]! };
}

/** The logarithm of the mean of what has these logarithms. */
function logMean(logs: readonly number[]): number {
  const top = Math.max(...logs);
  return top + Math.log(logs.reduce((sum, l) => sum + Math.exp(l - top), 0) / logs.length);
}

/** Null where bytes of a word are no characters of an encoding of several bytes. */
function decodeWords(encoding: Encoding, words: readonly Uint8Array[]): string[] | null {
  if (!isManyBytes(encoding)) {
    const characters = charactersOf(encoding);
    return words.map((w) =>
      Array.from(w, (b) => characters[b] ?? "\ufffd")
        .join("")
        .normalize("NFC"),
    );
  }
  const decoder = textDecoder(encoding);
  const texts = words.map((w) => {
    const text = decoder.decode(w);
    return w.length === LONGEST_WORD ? text.slice(0, -1) : text;
  });
  const broken = texts.filter((t) => t.includes("\ufffd")).length;
  // A file that is cut off within a cell has a broken word or two.
  return broken > texts.length / 50 ? null : texts;
}

const SCRIPT_TESTS: readonly (readonly [Script, RegExp])[] = [
  ["Cyrillic", /\p{Script=Cyrillic}/gu],
  ["Greek", /\p{Script=Greek}/gu],
  ["Hebrew", /\p{Script=Hebrew}/gu],
  ["Arabic", /\p{Script=Arabic}/gu],
  ["Thai", /\p{Script=Thai}/gu],
  ["Han", /[\p{Script=Han}\p{Script=Hiragana}\p{Script=Katakana}\p{Script=Hangul}]/gu],
];

/** The script that most of what is not ASCII has, and Latin beside it. */
function scriptsOf(texts: readonly string[]): Script[] {
  const all = texts.join(" ");
  let most: { script: Script; n: number } = { script: "Latin", n: 0 };
  for (const [script, test] of SCRIPT_TESTS) {
    const n = all.match(test)?.length ?? 0;
    if (n > most.n) most = { script, n };
  }
  const latin = all.match(/(?![A-Za-z])\p{Script=Latin}/gu)?.length ?? 0;
  return latin >= most.n ? ["Latin"] : [most.script];
}

/** The letters of a word that are not ASCII, and those beside them, in pairs; and what speaks against the word in any language. */
function pairsOf(word: string): { pairs: readonly (readonly [number, number])[]; cost: number } {
  const pairs: [number, number][] = [];
  let cost = 0;
  let before = BOUNDARY;
  let high = false;
  let small = false;
  let latin = false;
  const characters = [...word];
  for (const [i, c] of characters.entries()) {
    const isHigh = c > "\u007f";
    if (!isLetter(c)) {
      if (isHigh) cost += signCost(c, before !== BOUNDARY, isLetter(characters[i + 1] ?? ""));
      if (high) pairs.push([before, BOUNDARY]);
      [before, high, small] = [BOUNDARY, false, false];
      continue;
    }
    const lower = c.toLowerCase();
    const letter = lower.codePointAt(0)!;
    const own = !isHigh || /\p{Script=Latin}/u.test(c);
    if (isHigh || high) {
      pairs.push([before, letter]);
      if (before !== BOUNDARY && own !== latin) cost += COST.scripts;
      if (small && lower !== c) cost += COST.capitalWithin;
    }
    [before, high, small, latin] = [letter, isHigh, lower === c && c !== c.toUpperCase(), own];
  }
  if (high) pairs.push([before, BOUNDARY]);
  return { pairs, cost };
}

const isLetter = (c: string): boolean => (c > "\u007f" ? /[\p{L}\p{M}]/u.test(c) : /[A-Za-z]/.test(c));
