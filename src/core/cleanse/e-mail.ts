import isEmail from "validator/lib/isEmail.js";
import { byText, type StepPart } from "./part.ts";

export const eMail: StepPart<object> = {
  id: "e-mail",
  title: "E-mail addresses",
  about: "Takes an address out of “Name <address>” and “mailto:”, and writes its domain in small letters.",
  options: {},
  words: () => "e-mail addresses in their standard form",
  apply: () =>
    byText((text) => {
      if (text.length > 400) return text;
      const bare = text
        .trim()
        .replace(/^mailto:/i, "")
        .replace(/^[^<>]*<([^<>]+)>$/, "$1")
        .trim();
      const at = bare.lastIndexOf("@");
      const address = `${bare.slice(0, at)}@${bare.slice(at + 1).toLowerCase()}`;
      return at > 0 && isEmail(address) ? address : text;
    }),
  examples: [
    { options: {}, from: " Sorrel.Ness@Ashmere.EXAMPLE ", to: "Sorrel.Ness@ashmere.example" },
    { options: {}, from: "Sorrel Ness <s.ness@fen.example>", to: "s.ness@fen.example" },
    { options: {}, from: "mailto:tarn@fen.example", to: "tarn@fen.example" },
    { options: {}, from: "tarn at fen.example", to: "tarn at fen.example" },
    { options: {}, from: "a@b@fen.example", to: "a@b@fen.example" },
  ],
};
