import { plain } from "./code.ts";
import type { IdeaMaker } from "./part.ts";

const YES = new Set("yes y true t 1 x ja j oui o si s ano tak igen kyllä".split(" ").map(plain));
const NO = new Set("no n false f 0 - nein non ne nie nem ei nej".split(" ").map((w) => plain(w) || w));

/** Words for yes and no, in several languages. */
export const booleanIdeas: IdeaMaker =
  ({ field }) =>
  ({ value }) => {
    const word = plain(value) || value.trim();
    if (YES.has(word)) return [{ to: field.words?.yes[0] ?? "true", because: "another word for yes" }];
    if (NO.has(word)) return [{ to: field.words?.no[0] ?? "false", because: "another word for no" }];
    return [];
  };
