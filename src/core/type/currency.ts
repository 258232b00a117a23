/** Currencies as Intl knows them (ISO 4217): their codes, signs and decimals. */

/** Short words that Intl has only in the currency's own language. */
const LOCAL: Readonly<Record<string, readonly string[]>> = {
  kr: ["DKK", "ISK", "NOK", "SEK"],
  руб: ["RUB"],
  лв: ["BGN"],
  грн: ["UAH"],
  fr: ["CHF"],
};

let known: Map<string, Set<string>> | null = null;

/** The currencies that a sign or code may mean, codes in capitals and words in lower case. */
function meanings(): Map<string, Set<string>> {
  if (known) return known;
  known = new Map();
  const add = (word: string, code: string): void => {
    const codes = known!.get(word.toLowerCase());
    if (codes) codes.add(code);
    else known!.set(word.toLowerCase(), new Set([code]));
  };
  for (const code of Intl.supportedValuesOf("currency")) {
    add(code, code);
    for (const currencyDisplay of ["narrowSymbol", "symbol"] as const) {
      const format = new Intl.NumberFormat("en", { style: "currency", currency: code, currencyDisplay });
      add(format.formatToParts(1).find((p) => p.type === "currency")!.value, code);
    }
  }
  for (const [word, codes] of Object.entries(LOCAL)) for (const code of codes) add(word, code);
  return known;
}

/** Whether a text is the code of a currency. */
export function isCurrency(code: string): boolean {
  return /^[A-Z]{3}$/.test(code) && meanings().has(code.toLowerCase());
}

/** The decimals in which a currency is usually written: 2 for EUR, 0 for JPY. */
export function decimalsOf(code: string): number {
  return (
    new Intl.NumberFormat("en", { style: "currency", currency: code }).resolvedOptions().maximumFractionDigits ?? 2
  );
}

let words: RegExp | null = null;

/** Signs and codes of all currencies, and what they are called for short: €, EUR, zł, Kč. Global: `lastIndex` is the caller's. */
export function currencyWords(): RegExp {
  if (words) return words;
  const escaped = [...meanings().keys()]
    .filter((w) => !/^\p{Sc}$/u.test(w))
    .flatMap((w) => (/^[a-z]{3}$/.test(w) ? [w.toUpperCase()] : [w, w[0]!.toUpperCase() + w.slice(1), w.toUpperCase()]))
    .sort((x, y) => y.length - x.length)
    .map((w) => w.replace(/[$.*+?^()[\]{}|\\]/g, "\\$&"));
  words = new RegExp(`(?<!\\p{L})(?:${[...new Set(escaped)].join("|")})\\.?(?!\\p{L})|\\p{Sc}`, "gu");
  return words;
}

/** The currencies that the amounts of a text may be in: none where it names none; null where it names several. */
export function currenciesIn(text: string): ReadonlySet<string> | null {
  const named = text.match(currencyWords()) ?? [];
  if (named.length > 1) return null;
  if (named.length === 0) return new Set();
  const word = named[0]!.toLowerCase();
  return meanings().get(word) ?? meanings().get(word.replace(/\.$/, "")) ?? new Set();
}
