import codes from "i18n-iso-countries/codes.json" with { type: "json" };
import german from "i18n-iso-countries/langs/de.json" with { type: "json" };
import english from "i18n-iso-countries/langs/en.json" with { type: "json" };
import spanish from "i18n-iso-countries/langs/es.json" with { type: "json" };
import french from "i18n-iso-countries/langs/fr.json" with { type: "json" };
import italian from "i18n-iso-countries/langs/it.json" with { type: "json" };
import dutch from "i18n-iso-countries/langs/nl.json" with { type: "json" };
import polish from "i18n-iso-countries/langs/pl.json" with { type: "json" };
import portuguese from "i18n-iso-countries/langs/pt.json" with { type: "json" };
import russian from "i18n-iso-countries/langs/ru.json" with { type: "json" };
import { withoutAccents } from "../kernel/accents.ts";

type Listed = Readonly<Record<string, string | readonly string[]>>;

/** Lists by hand, which have fuller names than the platform; of the languages that most deliveries are in. */
const LISTED: readonly Listed[] = [german, spanish, french, italian, dutch, polish, portuguese, russian].map(
  (list) => list.countries as Listed,
);

/** A country or territory as ISO 3166-1 has it. */
export interface Country {
  /** Two letters, three letters, three digits: GB, GBR, 826. */
  readonly alpha2: string;
  readonly alpha3: string;
  readonly numeric: string;
  /** What it is usually called in English. */
  readonly name: string;
}

/**
 * What else countries are called in English: in full, for short, in former times; and the codes that the European
 * Union writes otherwise than ISO. Nothing that two countries have been called, nor states that went apart.
 */
const ALSO: Readonly<Record<string, string>> = {
  AE: "Emirates",
  AR: "Argentine Republic",
  BA: "Bosnia, Bosnia Herzegovina",
  BF: "Upper Volta",
  BJ: "Dahomey",
  BN: "Brunei",
  BW: "Bechuanaland",
  BZ: "British Honduras",
  CD: "Zaire, DR Congo, DRC, D R Congo, Congo DR, Congo Kinshasa, Congo Democratic Republic",
  CF: "Central Africa, CAR",
  CG: "Republic of Congo, Congo Brazzaville",
  CH: "Swiss Confederation",
  CI: "Republic of Cote d'Ivoire",
  CZ: "Czech Rep",
  DE: "BRD",
  DO: "Dominican Rep",
  ET: "Abyssinia",
  FK: "Falklands, Malvinas",
  FM: "Micronesia, Federated States of Micronesia",
  FR: "French Republic",
  GB: "Britain, England, Scotland, Wales, Northern Ireland, United Kingdom of Great Britain and Northern Ireland, U K",
  GR: "Hellenic Republic, EL",
  HK: "Hong Kong SAR",
  IE: "Eire",
  IR: "Persia",
  IT: "Italian Republic",
  KG: "Kyrgyz Republic",
  KH: "Kampuchea",
  KP: "Democratic People's Republic of Korea, DPRK, DPR Korea, Korea North, Korea DPR, N Korea",
  KR: "Korea South, ROK, Korea Rep, S Korea, 한국",
  LA: "Lao PDR, Laos, Lao People's Democratic Republic",
  LK: "Ceylon",
  LS: "Basutoland",
  LY: "Libyan Arab Jamahiriya",
  MK: "Macedonia, FYROM, Former Yugoslav Republic of Macedonia",
  MM: "Burma, Republic of the Union of Myanmar",
  MO: "Macau, Macau SAR, Macao SAR",
  MW: "Nyasaland",
  MX: "United Mexican States",
  NL: "Holland",
  PS: "Palestinian Territories, Occupied Palestinian Territory",
  PT: "Portuguese Republic",
  RU: "Russian Fed",
  SK: "Slovak Republic",
  SY: "Syrian Arab Republic",
  SZ: "Swaziland",
  TH: "Siam",
  TL: "East Timor",
  TW: "Republic of China, Taiwan Republic of China, Chinese Taipei",
  US: "U S A, U S, US of A",
  VA: "Vatican, Vatican City, Holy See",
  VG: "British Virgin Islands",
  VI: "US Virgin Islands, United States Virgin Islands",
  VN: "Viet Nam",
  ZA: "RSA",
  ZM: "Northern Rhodesia",
  ZW: "Southern Rhodesia, Rhodesia",
};

const ADJECTIVES =
  "federal|federated|democratic|peoples|islamic|plurinational|bolivarian|socialist|united|independent|cooperative|co operative|oriental|hashemite|arab|former|yugoslav";
const STATES =
  "republic|kingdom|states?|federation|commonwealth|principality|sultanate|union|grand duchy|duchy|emirate|confederation";
/** What a state is: the Federal Republic of, the Kingdom of. */
const FORM = `(?:(?:${ADJECTIVES}) )*(?:${STATES})`;
const FORM_BEFORE = new RegExp(`^${FORM}(?: of)? (?:the )?`);
const FORM_BEHIND = new RegExp(`^(.+?) (?:the )?(${FORM}(?: of(?: the)?)?)$`);
/** Two are called so: a language in which one of them is called nothing else doesn't say which is meant. */
const CONGOS: ReadonlySet<string> = new Set(["CD", "CG"]);
/** Letters whose accents may be left out without making another word of a country's name. */
const ACCENTED = /[\p{Script=Latin}\p{Script=Greek}\p{Script=Cyrillic}]/u;
/** The share of values that name a country from which on they are countries, and the share that must be told at once. */
const MOST_COUNTRIES = 0.9;
const SOME_IN_ENGLISH = 0.1;
/** And more different values than this are none, in however many ways each is written. */
const MOST_WRITTEN = 2_000;
/** Longer texts name no country alone. */
const LONGEST = 100;

/** A name for looking it up: small letters without accents and marks, words apart by one blank, without a “the” before. */
function plain(text: string): string {
  const whole = text.normalize("NFKC");
  return (ACCENTED.test(whole) ? withoutAccents(whole) : whole)
    .toLowerCase()
    .replace(/['’`´.]/g, "")
    .replace(/&/g, " and ")
    .replace(/[^\p{L}\p{N}\p{M}]+/gu, " ")
    .trim()
    .replace(/^the /, "")
    .replace(/\bst\b/g, "saint");
}

/** By how a country is written, in plain words: the country; null where several are written so. */
type Names = Map<string, Country | null>;

function put(names: Names, text: string, country: Country): void {
  const word = plain(text);
  if (word === "") return;
  const known = names.get(word);
  names.set(word, known === undefined || known === country ? country : null);
}

interface Known {
  /** By code, in capitals. */
  readonly codes: ReadonlyMap<string, Country>;
  readonly english: Names;
  /** Made when no English name fits: it takes some tenths of a second. */
  others: Names | null;
}

let known: Known | null = null;

function namesKnown(): Known {
  if (known) return known;
  const byCode = new Map<string, Country>();
  const names: Names = new Map();
  const [long, short] = (["long", "short"] as const).map(
    (style) => new Intl.DisplayNames("en", { type: "region", fallback: "none", style }),
  ) as [Intl.DisplayNames, Intl.DisplayNames];
  const listed = english.countries as Listed;
  for (const [alpha2, alpha3, numeric] of codes) {
    if (!alpha2 || !alpha3 || !numeric) continue;
    const own = [listed[alpha2] ?? []].flat();
    const country: Country = { alpha2, alpha3, numeric, name: long.of(alpha2) ?? own[0] ?? alpha2 };
    for (const code of [alpha2, alpha3, numeric]) byCode.set(code, country);
    const also = (ALSO[alpha2] ?? "").split(", ");
    for (const name of [...own, long.of(alpha2), short.of(alpha2), ...also]) if (name) put(names, name, country);
  }
  return (known = { codes: byCode, english: names, others: null });
}

/** What countries are called in all languages that the platform has (Unicode's CLDR, by Intl), and in lists by hand. */
function inOtherLanguages({ codes }: Known): Names {
  const names: Names = new Map();
  const countries = new Set(codes.values());
  const add = (name: string | undefined, country: Country): void => {
    if (!name) return;
    put(names, name, country);
    if (CONGOS.has(country.alpha2) && !plain(name).includes(" ")) names.set(plain(name), null);
  };
  const letters = [..."abcdefghijklmnopqrstuvwxyz"];
  const pairs = letters.flatMap((a) => letters.map((b) => a + b));
  for (const language of [...Intl.DisplayNames.supportedLocalesOf(pairs), "zh-Hant"]) {
    const display = new Intl.DisplayNames(language, { type: "region", fallback: "none" });
    for (const country of countries) add(display.of(country.alpha2), country);
  }
  for (const list of LISTED) {
    for (const country of countries) for (const name of [list[country.alpha2] ?? []].flat()) add(name, country);
  }
  return names;
}

/** The country of a code of ISO 3166-1, in letters of one case; zeros at the beginning may be lost. “Nga” is a word. */
function byCode(text: string): Country | undefined {
  const code = text.trim();
  if (/^(?:[A-Z]{2,3}|[a-z]{2,3})$/.test(code)) return namesKnown().codes.get(code.toUpperCase());
  return /^\d{1,3}$/.test(code) ? namesKnown().codes.get(code.padStart(3, "0")) : undefined;
}

/**
 * The country that a text names, by a code of ISO 3166-1 or in words: in English, where what a state is may stand
 * before or behind its name (“Korea, Republic of”), or in one of some 140 languages. Undefined where it names none,
 * or where it may be one of several, as Congo may. `inEnglish`: no other language is asked.
 */
export function countryOf(text: string, { inEnglish = false } = {}): Country | undefined {
  if (text.length > LONGEST) return undefined;
  const coded = byCode(text);
  if (coded) return coded;
  const word = plain(text);
  if (word === "") return undefined;
  const all = namesKnown();
  const behind = FORM_BEHIND.exec(word);
  for (const name of behind ? [word, `${behind[2]} ${behind[1]}`] : [word]) {
    // What several countries are called in English is none of them in another language.
    for (const way of [name, name.replace(FORM_BEFORE, ""), name.replace(/ the$/, "")]) {
      if (all.english.has(way)) return all.english.get(way) ?? undefined;
    }
  }
  if (inEnglish) return undefined;
  all.others ??= inOtherLanguages(all);
  return all.others.get(word) ?? undefined;
}

/**
 * The countries that some values name, by their codes of two letters; null where fewer than nine in ten of the values
 * name one. Where hardly any does so in English or by a code, other languages are not asked.
 */
export function countriesAmong(values: Iterable<string>): ReadonlySet<string> | null {
  const all = [...values];
  if (all.length > MOST_WRITTEN) return null;
  const told = (inEnglish: boolean): string[] => all.flatMap((v) => countryOf(v, { inEnglish })?.alpha2 ?? []);
  if (all.length === 0 || told(true).length < all.length * SOME_IN_ENGLISH) return null;
  const found = told(false);
  return found.length >= all.length * MOST_COUNTRIES ? new Set(found) : null;
}

const displays = new Map<string, Intl.DisplayNames>();

/** Whether the platform has the names of countries in a language, by its code of two or three letters. */
export function hasCountryNames(language: string): boolean {
  return /^[a-z]{2,3}$/.test(language) && Intl.DisplayNames.supportedLocalesOf(language).length > 0;
}

/** What a country is called in a language that has names of countries. */
export function countryName({ alpha2, name }: Country, language: string): string {
  let display = displays.get(language);
  if (!display) displays.set(language, (display = new Intl.DisplayNames(language, { type: "region" })));
  return display.of(alpha2) ?? name;
}
