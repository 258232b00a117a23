import { utf8 } from "../kernel/bytes.ts";

/** Blanks around a word that are looked past. */
const MOST_BLANKS = 8;
/** Words that people write where there is nothing to write, in small letters, language by language. */
export const NOTHING_WORDS = [
  ...["?", "-", "--", "n/a", "na", "null", "none", "nil", "unknown", "not known", "tbd", "#n/a", "(null)", "."],
  ...["n.a.", "not available", "not applicable", "not specified", "not recorded", "missing"],
  ...["k.a.", "k. a.", "keine angabe", "keine angaben", "nicht bekannt", "nicht angegeben", "unbekannt"],
  ...["inconnu", "inconnue", "non renseigné", "non renseignée", "non disponible", "sans objet"],
  ...["desconocido", "desconocida", "sin dato", "sin datos", "s/d", "no disponible", "no aplica"],
  ...["desconhecido", "desconhecida", "sem dados", "não informado", "não se aplica"],
  ...["sconosciuto", "sconosciuta", "non disponibile", "non pervenuto", "n.d."],
  ...["onbekend", "niet bekend", "n.v.t.", "niet van toepassing"],
  ...["brak danych", "b.d.", "nieznany", "nie dotyczy", "okänd", "okänt", "uppgift saknas", "ukendt", "ukjent"],
  ...["neuvedeno", "neznámé", "bilinmiyor", "неизвестно", "нет данных", "н/д", "невідомо", "άγνωστο"],
];

/** Such a word, whatever its case and the blanks around it. */
const KNOWN: ReadonlySet<string> = new Set(NOTHING_WORDS);
export const isNothingWord = (text: string): boolean => KNOWN.has(text.trim().toLowerCase());

/** The longest such word, and one byte for each first byte and number of characters that one has. */
const LONGEST = Math.max(...NOTHING_WORDS.map((w) => w.length));
const BEGINS = new Uint8Array((LONGEST + 1) * 256);
for (const word of NOTHING_WORDS) {
  for (const written of [word, word.toUpperCase()]) BEGINS[word.length * 256 + utf8(written)[0]!] = 1;
}

/** Whether a value of so many characters that begins with a byte may be such a word; nearly all others are passed over so. */
export function mayBeNothing(characters: number, first: number, loose: boolean): boolean {
  return characters <= LONGEST + (loose ? MOST_BLANKS : 0) && (loose || BEGINS[characters * 256 + first] === 1);
}
