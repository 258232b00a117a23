/**
 * Words for yes and no by language, and those that are of none, in lower case. Letters alone stand only where they are
 * usual on forms: any other two letters are more likely codes.
 */
const WORDS: Readonly<Record<string, readonly [yes: string, no: string]>> = {
  en: ["yes y", "no n"],
  de: ["ja j", "nein n"],
  fr: ["oui o", "non n"],
  es: ["sí si s", "no n"],
  it: ["sì si s", "no n"],
  nl: ["ja j", "nee n"],
  pt: ["sim s", "não nao n"],
  sv: ["ja j", "nej n"],
  nb: ["ja j", "nei n"],
  is: ["já j", "nei n"],
  fi: ["kyllä", "ei"],
  et: ["jah", "ei"],
  pl: ["tak", "nie"],
  cs: ["ano", "ne"],
  sk: ["áno", "nie"],
  hu: ["igen", "nem"],
  ro: ["da", "nu"],
  hr: ["da", "ne"],
  ca: ["sí s", "no n"],
  eu: ["bai", "ez"],
  sq: ["po", "jo"],
  cy: ["ydy ie", "nac na"],
  lt: ["taip", "ne"],
  lv: ["jā", "nē"],
  tr: ["evet", "hayır"],
  az: ["bəli", "xeyr"],
  ru: ["да", "нет"],
  uk: ["так", "ні"],
  bg: ["да", "не"],
  mk: ["да", "не"],
  el: ["ναι", "όχι"],
  he: ["כן", "לא"],
  ar: ["نعم", "لا"],
  fa: ["بله", "خیر"],
  hi: ["हाँ हां", "नहीं"],
  th: ["ใช่", "ไม่ใช่ ไม่"],
  vi: ["có", "không"],
  id: ["ya", "tidak"],
  sw: ["ndiyo", "hapana"],
  ja: ["はい", "いいえ"],
  zh: ["是", "否"],
  ko: ["예 네", "아니오 아니요"],
};
const COMMON: readonly (readonly [yes: string, no: string])[] = [
  ["true t 1", "false f 0"],
  ["on", "off"],
  ["vrai", "faux"],
  ["wahr", "falsch"],
  ["verdadero", "falso"],
  ["vero", "falso"],
  ["prawda", "fałsz"],
];

export interface YesNo {
  readonly yes: readonly string[];
  readonly no: readonly string[];
  /** Languages in which the words mean that; none where they are of no language. */
  readonly languages: readonly string[];
}

/**
 * What of some values means yes and what no: the values are words of one language, or of none. Null where they are
 * not, and where two languages would say otherwise of one of them.
 * @param values different values in lower case, without white space at their ends
 */
export function yesAndNo(values: readonly string[]): YesNo | null {
  const own = values.filter((v) => v !== "");
  if (own.length === 0) return null;
  const pairs: (readonly [string | null, readonly [string, string]])[] = [
    ...COMMON.map((pair) => [null, pair] as const),
    ...Object.entries(WORDS),
  ];
  const fitting = pairs.flatMap(([language, [y, n]]) => {
    const [yes, no] = [new Set(y.split(" ")), new Set(n.split(" "))];
    if (!own.every((v) => yes.has(v) || no.has(v))) return [];
    // A word alone, such as “n”, says too little of what the other would be.
    return [{ language, yes, no, says: own.map((v) => (yes.has(v) ? "y" : "n")).join("") }];
  });
  const [first] = fitting;
  if (!first || fitting.some((f) => f.says !== first.says)) return null;
  return {
    yes: [...new Set(fitting.slice(0, 1).flatMap((f) => [...f.yes]))],
    no: [...new Set(fitting.slice(0, 1).flatMap((f) => [...f.no]))],
    languages: fitting.flatMap((f) => f.language ?? []),
  };
}
