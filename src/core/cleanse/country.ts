import { z } from "zod";
import { countryName, countryOf, hasCountryNames, type Country } from "../type/countries.ts";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const FORM_IDS = ["GB", "GBR", "826", "United Kingdom"] as const;
const USUAL = "GB";
/** How each form, called by an example, is written. */
const FORMS: Readonly<Record<(typeof FORM_IDS)[number], (country: Country, language: string) => string>> = {
  GB: ({ alpha2 }) => alpha2,
  GBR: ({ alpha3 }) => alpha3,
  "826": ({ numeric }) => numeric,
  "United Kingdom": countryName,
};

const options = {
  form: z
    .enum(FORM_IDS)
    .optional()
    .describe("The form, by an example: a code of ISO 3166-1, or the name; GB unless said"),
  language: z
    .string()
    .regex(/^[a-z]{2,3}$/)
    .refine(hasCountryNames, "There are no names of countries in this language.")
    .optional()
    .describe("The language of the name, such as de; en unless said"),
};

export type CountryOptions = OptionsOf<typeof options>;

/** Writes a country in a form; what names none, or may be one of several, as it is. */
export function countryWriter({ form = USUAL, language = "en" }: CountryOptions): (text: string) => string {
  const write = FORMS[form];
  return (text) => {
    const found = countryOf(text);
    return found ? write(found, language) : text;
  };
}

/** The form in words, for the step and what proposes it. */
export function countryForm({ form = USUAL, language = "en" }: CountryOptions): string {
  if (form !== "United Kingdom") return `like ${form}`;
  return language === "en" ? "by name" : `by name in ${new Intl.DisplayNames("en", { type: "language" }).of(language)}`;
}

export const country: StepPart<CountryOptions> = {
  id: "country",
  title: "Countries",
  about:
    "Writes a country’s code, or its name in other words or languages, in one form. What may be one of several, as Congo may, is left as it is.",
  options,
  words: (of) => `countries ${countryForm(of)}`,
  apply: (of) => byText(countryWriter(of)),
  examples: [
    { options: {}, from: "United Kingdom", to: "GB" },
    { options: {}, from: "u.k.", to: "GB" },
    { options: {}, from: "gbr", to: "GB" },
    { options: {}, from: "the Netherlands", to: "NL" },
    { options: {}, from: "Holland", to: "NL" },
    { options: {}, from: "Korea, Republic of", to: "KR" },
    { options: {}, from: "Bolivia (Plurinational State of)", to: "BO" },
    { options: {}, from: "Elfenbeinküste", to: "CI" },
    { options: {}, from: "日本", to: "JP" },
    { options: {}, from: "Congo", to: "Congo" },
    { options: {}, from: "Yugoslavia", to: "Yugoslavia" },
    { options: {}, from: "ask the gate", to: "ask the gate" },
    { options: { form: "GBR" }, from: "Burma", to: "MMR" },
    { options: { form: "826" }, from: "Republic of Kenya", to: "404" },
    { options: { form: "United Kingdom" }, from: "4", to: "Afghanistan" },
    { options: { form: "United Kingdom" }, from: "DEU", to: "Germany" },
    { options: { form: "United Kingdom", language: "de" }, from: "Ivory Coast", to: "Côte d’Ivoire" },
    { options: { form: "United Kingdom", language: "de" }, from: "Spain", to: "Spanien" },
  ],
};
