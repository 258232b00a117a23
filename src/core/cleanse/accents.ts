import { withoutAccents } from "../kernel/accents.ts";
import { isAscii } from "../kernel/bytes.ts";
import { byText, type StepPart } from "./part.ts";

/** Takes accents off letters: é becomes e, ø o, ß ss. */
export const accents: StepPart<object> = {
  id: "accents",
  title: "Remove accents",
  about: "Takes accents off letters, and writes ß, æ, ø and the like with plain ones.",
  options: {},
  words: () => "letters without accents",
  apply: () => byText(withoutAccents, (bytes, s, e) => !isAscii(bytes, s, e)),
  examples: [
    { options: {}, from: "Zoë Ålund", to: "Zoe Alund" },
    { options: {}, from: "Straße, Œuvre, Łódź", to: "Strasse, OEuvre, Lodz" },
    { options: {}, from: "Sorrel", to: "Sorrel" },
  ],
};
