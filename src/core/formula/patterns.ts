import { compilePattern, type Pattern } from "../kernel/pattern.ts";

const patterns = new Map<string, Pattern>();

/** A pattern ready for use; those that come from cells are not kept for ever. */
export function patternOf(source: string): Pattern {
  let pattern = patterns.get(source);
  if (!pattern) {
    if (patterns.size > 200) patterns.clear();
    pattern = compilePattern(source);
    patterns.set(source, pattern);
  }
  return pattern;
}
