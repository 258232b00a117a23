import { RE2JS } from "re2js";
import { z } from "zod";
import { textOf } from "./bytes.ts";
import { SieveError } from "./problem.ts";

/** A regular expression of a user's: RE2 syntax, run in time linear in the text. */
export interface Pattern {
  /** True when the pattern is found in the text (use ^ and $ to mean all of it). */
  test(text: string): boolean;
  /** The same for a span of UTF-8 bytes. */
  testSpan(bytes: Uint8Array, start: number, end: number): boolean;
  /** Every match replaced; `$1` in the replacement stands for a group. */
  replace(text: string, replacement: string): string;
  /** Of every match: what its named groups found. */
  groups(text: string): Record<string, string>[];
  /** Names of its groups. */
  readonly names: readonly string[];
}

/** Anchored sequences of ASCII letters and classes with fixed counts: they fit texts of one length only. */
const FIXED =
  /^\^(?:(?:[A-Za-z0-9_ /:;,#@!%&~-]|\\[dw.\-/]|\[(?:(?:[A-Za-z0-9]-[A-Za-z0-9]|[A-Za-z0-9_. ])+)\])(?:\{\d{1,3}\})?)+\$$/;
const FIXED_PIECE = /(\\.|\[[^\]]+\]|[^\\[{])(?:\{(\d{1,3})\})?/g;

/** For each place of a fixed pattern, which bytes may stand there: 256 flags a place. */
function fixedPlaces(source: string): Uint8Array | null {
  if (!FIXED.test(source)) return null;
  const places: Uint8Array[] = [];
  for (const [, piece, count] of source.slice(1, -1).matchAll(FIXED_PIECE)) {
    const one = new RegExp(`^${piece}$`);
    const allowed = Uint8Array.from({ length: 256 }, (_, b) => (b < 128 && one.test(String.fromCharCode(b)) ? 1 : 0));
    for (let i = 0; i < Number(count ?? 1); i++) places.push(allowed);
  }
  const all = new Uint8Array(places.length * 256);
  places.forEach((allowed, i) => all.set(allowed, i * 256));
  return all;
}

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
  const names = [...source.matchAll(/\(\?P?<([A-Za-z_][A-Za-z0-9_]*)>/g)].map((m) => m[1]!);
  const places = fixedPlaces(source);
  const testSpan = places
    ? (bytes: Uint8Array, start: number, end: number): boolean => {
        if ((end - start) * 256 !== places.length) return false;
        for (let p = start, at = 0; p < end; p++, at += 256) if (places[at + bytes[p]!] === 0) return false;
        return true;
      }
    : (bytes: Uint8Array, start: number, end: number): boolean => compiled.test(textOf(bytes, start, end));
  return {
    test: (text) => compiled.test(text),
    testSpan,
    replace: (text, replacement) => compiled.matcher(text).replaceAll(replacement),
    groups: (text) => {
      const all: Record<string, string>[] = [];
      const matcher = compiled.matcher(text);
      while (matcher.find()) {
        all.push(
          Object.fromEntries(
            names.flatMap((n) => {
              const found = matcher.group(n);
              return found === null ? [] : [[n, found]];
            }),
          ),
        );
      }
      return all;
    },
    names,
  };
}

/** A pattern as a plan has it: at most 500 characters that compile. */
export const patternSchema = z
  .string()
  .min(1)
  .max(500)
  .superRefine((source, context) => {
    try {
      compilePattern(source);
    } catch (error) {
      const e = error as SieveError;
      context.addIssue({ code: "custom", message: `${e.message} ${e.detail}` });
    }
  });
