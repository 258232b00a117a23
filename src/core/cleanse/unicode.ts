import { z } from "zod";
import { isAscii } from "../kernel/bytes.ts";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = { form: z.enum(["NFC", "NFD", "NFKC", "NFKD"]).describe("Which form; NFC is the usual one") };

export type UnicodeOptions = OptionsOf<typeof options>;

/** One of Unicode's normalisation forms (Unicode Standard Annex 15): the same letters as the same bytes. */
export const unicode: StepPart<UnicodeOptions> = {
  id: "unicode",
  title: "Unicode form",
  about: "Writes letters with accents the same way everywhere, by one of Unicode's forms.",
  everywhere: true,
  options,
  words: ({ form }) => `Unicode form ${form}`,
  apply: ({ form }) =>
    byText(
      (text) => text.normalize(form),
      (bytes, s, e) => !isAscii(bytes, s, e),
    ),
  examples: [
    { options: { form: "NFC" }, from: "A\u030alund", to: "Ålund" },
    { options: { form: "NFD" }, from: "é", to: "e\u0301" },
    { options: { form: "NFKC" }, from: "ﬁg ½", to: "fig 1⁄2" },
    { options: { form: "NFC" }, from: "fig", to: "fig" },
  ],
};
