import { acceptedEntries, columnOf, type Reference, type References } from "../kernel/reference.ts";
import type { MatchField, MatchSection } from "./schema.ts";

/** The option by which a compared field takes words that mean the same from a reference list. */
export const WORDS_FROM = "variants_from";

/** The reference lists that what is compared takes its words from. */
export function wordListsOf(fields: readonly MatchField[]): string[] {
  return [...new Set(fields.flatMap((f) => (typeof f[WORDS_FROM] === "string" ? [f[WORDS_FROM]] : [])))];
}

/**
 * Words that a list says are one, by what they are taken for: its synonyms by their accepted entries.
 * A list that has no synonyms says nothing.
 */
function wordsOf(reference: Reference): Record<string, string[]> {
  const key = columnOf(reference, reference.key);
  const words: Record<string, string[]> = {};
  acceptedEntries(reference).forEach((to, from) => {
    if (to === from) return;
    const [written, meant] = [reference.entries[from]![key]!, reference.entries[to]![key]!];
    if (written !== "" && meant !== "") (words[meant] ??= []).push(written);
  });
  return words;
}

/**
 * The match section with the words of its lists put to those that each field has itself, so that all
 * that compares finds them there. A list that is not at hand is passed over.
 */
export function withWordLists(section: MatchSection, references: References): MatchSection {
  if (wordListsOf(section.fields).every((name) => !references.has(name))) return section;
  const fields = section.fields.map((field): MatchField => {
    const list = references.get(String(field[WORDS_FROM] ?? ""));
    if (!list) return field;
    const variants = { ...(field["variants"] as Record<string, readonly string[]> | undefined) };
    for (const [meant, written] of Object.entries(wordsOf(list))) {
      variants[meant] = [...new Set([...(variants[meant] ?? []), ...written])];
    }
    return { ...field, variants };
  });
  return { ...section, fields };
}
