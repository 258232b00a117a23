import type { Idea, IdeaMaker } from "./part.ts";

/** Another way to write the same: capitals, what stands between its parts, letters and digits that look alike, a zero that was lost. */
export const textIdeas: IdeaMaker =
  ({ field }) =>
  ({ value }) => {
    const ideas: Idea[] = [];
    const add = (to: string, because: string): void => void ideas.push({ to, because });
    const trimmed = value.trim().replace(/\s+/g, " ");
    // Free words have no form of their own that says how they are joined.
    if (field.type === "text" && field.pattern === undefined)
      return [{ to: trimmed.toUpperCase(), because: "in capitals" }];
    const hyphens = trimmed.replace(/[\s_./]+/g, "-");
    // Only where digits or the ends of a part stand around them: elsewhere they are letters.
    const digits = trimmed.replace(/(?<=^|[\d-])[OoIlL]+(?=[\d-]|$)/g, (run) =>
      run.replace(/[Oo]/g, "0").replace(/[IlL]/g, "1"),
    );
    add(trimmed.toUpperCase(), "in capitals");
    add(hyphens, "with hyphens");
    add(hyphens.toUpperCase(), "in capitals, with hyphens");
    add(digits, "digits that were typed as letters");
    add(trimmed.replace(/\s+/g, ""), "without spaces");
    add(trimmed.replace(/\s+/g, "").toUpperCase(), "in capitals, without spaces");
    // Programs that take a code for a number lose its zeros; of more than one, digits may be missing at its end as well.
    if (/^[1-9]\d{2,}$/.test(trimmed)) add(`0${trimmed}`, "with the zero in front that was lost");
    return ideas;
  };
