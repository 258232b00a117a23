import { tokens, type Token } from "./syntax.ts";

/** Tokens of a formula that are names of fields: no function, and no part of a value. */
function fieldTokens(source: string): Token[] {
  const list = tokens(source);
  return list.filter((t, i) => t.kind === "name" && list[i - 1]?.text !== "." && list[i + 1]?.text !== "(");
}

/** Names that a formula speaks of, each once. */
export function namesIn(source: string): string[] {
  return [...new Set(fieldTokens(source).map((t) => t.text))];
}

/** The formula with a field called otherwise; texts in quotes and the rest stay as they are. */
export function renameInFormula(source: string, from: string, to: string): string {
  let renamed = "";
  let at = 0;
  for (const t of fieldTokens(source)) {
    if (t.text !== from) continue;
    renamed += source.slice(at, t.from) + to;
    at = t.to;
  }
  return renamed + source.slice(at);
}
