import { RE2JS } from "re2js";
import { SieveError } from "./problem.ts";

/** A regular expression of a user's: RE2 syntax, run in time linear in the text. */
export interface Pattern {
  /** True when the pattern is found in the text (use ^ and $ to mean all of it). */
  test(text: string): boolean;
  /** Every match replaced; `$1` in the replacement stands for a group. */
  replace(text: string, replacement: string): string;
}

/**
 * Anchored sequences of literals and classes with fixed counts: a backtracking engine has nothing
 * to go back to in them, so the engine of the language, ten times faster, is just as safe.
 */
const FIXED =
  /^\^(?:(?:[A-Za-z0-9_ /:;,#@!%&~-]|\\[dw.\-/]|\[(?:(?:[A-Za-z0-9]-[A-Za-z0-9]|[A-Za-z0-9_. ])+)\])(?:\{\d{1,3}\})?)+\$$/;

/** Throws `pattern-invalid` with what is wrong with it. */
export function compilePattern(source: string): Pattern {
  let compiled: RE2JS;
  try {
    compiled = RE2JS.compile(source);
  } catch (error) {
    throw new SieveError("pattern-invalid", `The pattern “${source}” can't be understood.`, {
      detail: error instanceof Error ? error.message : String(error),
      hint: "Patterns are regular expressions in RE2 syntax: no look-around and no back-references.",
    });
  }
  const fixed = FIXED.test(source) ? new RegExp(source) : null;
  return {
    test: fixed ? (text) => fixed.test(text) : (text) => compiled.test(text),
    replace: (text, replacement) => compiled.matcher(text).replaceAll(replacement),
  };
}
