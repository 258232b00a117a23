import { countryForm, countryWriter, type CountryOptions } from "../cleanse/country.ts";
import { counted, listed } from "../kernel/problem.ts";
import { countriesAmong, countryName, countryOf, type Country } from "../type/countries.ts";
import type { CountedValue } from "./counted-values.ts";
import type { ColumnProfile } from "./facts.ts";
import { ENOUGH, type Because } from "./reason.ts";

/** Languages in which names are looked for that a column has most of. */
const LANGUAGES = ["en", "de", "fr", "es", "it", "pt", "nl", "pl", "ru", "sv", "da", "nb", "fi", "cs", "hu", "tr"];
/** Different countries that are named in words before a column is one of countries: codes alone may be of anything. */
const LEAST_NAMED = 2;
/** From this share of the values on the form in which they are is the one for all. */
const MOSTLY = 0.5;

/** A value that names a country. */
interface Told {
  readonly value: string;
  readonly count: number;
  readonly country: Country;
}

const sum = (values: readonly { readonly count: number }[]): number => values.reduce((n, v) => n + v.count, 0);

/** The form in which most of the values are; codes of two letters where no form has most. */
function usualForm(told: readonly Told[]): CountryOptions {
  const share = (test: (t: Told) => boolean): number => sum(told.filter(test)) / sum(told);
  if (share(({ value, country }) => value === country.alpha3) > MOSTLY) return { form: "GBR" };
  const [best] = LANGUAGES.map((language) => ({
    language,
    share: share(({ value, country }) => value === countryName(country, language)),
  })).sort((a, b) => b.share - a.share);
  if (!best || best.share <= MOSTLY) return {};
  return { form: "United Kingdom", ...(best.language !== "en" && { language: best.language }) };
}

/**
 * Countries that are written in more ways than one, with the step that writes each in one: the common values of
 * the column as they will be, or null where it has no such countries.
 */
export function countriesInOneForm({ common }: ColumnProfile, because: Because): readonly CountedValue[] | null {
  const values = common.map((v) => ({ ...v, value: v.value.trim() }));
  if (!countriesAmong(values.map((v) => v.value))) return null;
  const told = values.flatMap(({ value, count }): Told[] => {
    const country = countryOf(value);
    return country ? [{ value, count, country }] : [];
  });
  if (sum(told) < sum(values) * ENOUGH) return null;
  const ways = new Map<Country, Set<string>>();
  for (const { value, country } of told) ways.set(country, (ways.get(country) ?? new Set()).add(value));
  const all = [...ways.values()];
  const different = all.reduce((n, w) => n + w.size, 0);
  const named = all.filter((w) => [...w].some((v) => v.length > 3)).length;
  if (different === ways.size || named < LEAST_NAMED) return null;
  const step = { do: "country" as const, ...usualForm(told) };
  const [most] = all.sort((a, b) => b.size - a.size);
  because(
    "cleanse",
    `countries ${countryForm(step)}`,
    `${counted(ways.size, "country", "countries")} are written in ${different} ways, such as ${listed([...most!], 4)}`,
    step,
  );
  const write = countryWriter(step);
  const written = new Map<string, CountedValue>();
  for (const v of values) {
    const value = write(v.value);
    const known = written.get(value);
    written.set(value, known ? { ...known, count: known.count + v.count } : { ...v, value });
  }
  return [...written.values()];
}
