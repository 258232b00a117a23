import parsePhoneNumber, { getCountries, type CountryCode } from "libphonenumber-js";
import { z } from "zod";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const FORMS = { "+442079460018": "E.164", "+44 20 7946 0018": "INTERNATIONAL", "020 7946 0018": "NATIONAL" } as const;
type Form = keyof typeof FORMS;

const options = {
  country: z
    .string()
    .regex(/^[A-Z]{2}$/)
    .refine((c) => (getCountries() as string[]).includes(c), "There is no such country code.")
    .describe("The country of numbers that name none, as ISO 3166 has it, such as GB"),
  form: z
    .enum(Object.keys(FORMS) as [Form, ...Form[]])
    .optional()
    .describe("The form, by an example; +442079460018 unless said"),
};

export type TelephoneOptions = OptionsOf<typeof options>;

export const telephone: StepPart<TelephoneOptions> = {
  id: "telephone",
  title: "Telephone numbers",
  about: "Writes a telephone number in one form, where it can be one in its country.",
  options,
  words: ({ country, form }) => `telephone numbers of ${country} like ${form ?? "+442079460018"}`,
  apply: ({ country, form = "+442079460018" }) =>
    byText((text) => {
      if (text.length > 60) return text;
      const number = parsePhoneNumber(text, country as CountryCode);
      return number?.isPossible() ? number.format(FORMS[form]) : text;
    }),
  examples: [
    { options: { country: "GB" }, from: "020 7946 0018", to: "+442079460018" },
    { options: { country: "GB" }, from: "(0)20-7946 0018", to: "+442079460018" },
    { options: { country: "GB", form: "+44 20 7946 0018" }, from: "+442079460018", to: "+44 20 7946 0018" },
    { options: { country: "DE" }, from: "+44 20 7946 0018", to: "+442079460018" },
    { options: { country: "DE" }, from: "030 901820", to: "+4930901820" },
    { options: { country: "GB" }, from: "ask the gate", to: "ask the gate" },
    { options: { country: "GB" }, from: "12", to: "12" },
  ],
};
