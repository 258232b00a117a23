import { z } from "zod";
import { RE2JS } from "re2js";
import { compilePattern } from "../kernel/pattern.ts";
import { byText, type StepPart } from "./part.ts";
import type { OptionsOf } from "../kernel/options.ts";

const options = {
  what: z.enum(["digits", "letters", "letters and digits", "pattern"]).describe("What is kept"),
  pattern: z.string().min(1).max(500).optional().describe("The pattern (RE2); a value without it stays as it is"),
};

export type KeepOptions = OptionsOf<typeof options>;

const DROPS = {
  digits: /[^0-9]+/g,
  letters: /[^\p{L}\p{M}]+/gu,
  "letters and digits": /[^\p{L}\p{M}\p{N}]+/gu,
};

/** Keeps only some of a value: its digits, its letters, or the part that a pattern finds. */
export const keep: StepPart<KeepOptions> = {
  id: "keep",
  title: "Keep a part",
  about: "Keeps only the digits, the letters, or what a pattern finds; its first group where it has one.",
  options,
  words: ({ what, pattern }) => `keep ${what === "pattern" ? `what “${pattern ?? ""}” finds` : `only ${what}`}`,
  apply({ what, pattern }) {
    if (what === "digits") return byText((text) => text.replace(DROPS.digits, ""), hasOther);
    if (what !== "pattern") return byText((text) => text.replace(DROPS[what], ""));
    compilePattern(pattern ?? "");
    const compiled = RE2JS.compile(pattern ?? "");
    return byText((text) => {
      const found = compiled.matcher(text);
      if (!found.find()) return text;
      return found.group(compiled.groupCount() > 0 ? 1 : 0) ?? "";
    });
  },
  examples: [
    { options: { what: "digits" }, from: "tel. 0161 496-0000", to: "01614960000" },
    { options: { what: "letters" }, from: "Ålund 17!", to: "Ålund" },
    { options: { what: "letters and digits" }, from: "SMH-2026/17", to: "SMH202617" },
    { options: { what: "pattern", pattern: "[0-9]{4}" }, from: "SMH-2026-17", to: "2026" },
    { options: { what: "pattern", pattern: "-([0-9]+)$" }, from: "SMH-2026-17", to: "17" },
    { options: { what: "pattern", pattern: "[0-9]+" }, from: "none", to: "none" },
  ],
};

/** Anything but digits. */
function hasOther(bytes: Uint8Array, start: number, end: number): boolean {
  for (let p = start; p < end; p++) if (bytes[p]! < 48 || bytes[p]! > 57) return true;
  return false;
}
