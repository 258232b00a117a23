import { acceptedEntries, columnOf, type Reference, type References } from "../lookup/reference.ts";
import { namedIn, type NamedFormulas } from "./named.ts";
import { tokens } from "./syntax.ts";
import type { Value } from "./value.ts";

/** Names of the functions that ask a reference list, whose name is their first argument. */
export const LIST_FUNCTIONS: ReadonlySet<string> = new Set(["inList", "fromList"]);

/** By list: the entries that its keys lead to, synonyms to the accepted one. */
const indexes = new WeakMap<Reference, ReadonlyMap<string, readonly string[]>>();

function indexOf(reference: Reference): ReadonlyMap<string, readonly string[]> {
  let index = indexes.get(reference);
  if (!index) {
    const made = new Map<string, readonly string[]>();
    const key = columnOf(reference, reference.key);
    const accepted = acceptedEntries(reference);
    reference.entries.forEach((cells, i) => {
      const value = cells[key]!;
      if (value !== "" && !made.has(value)) made.set(value, reference.entries[accepted[i]!]!);
    });
    indexes.set(reference, (index = made));
  }
  return index;
}

function listOf(lists: References, name: string): Reference {
  const list = lists.get(name);
  if (!list) throw new Error(`The list ${name} is not at hand.`);
  return list;
}

/** Whether a list has an entry with a key. */
export function inList(lists: References, list: string, key: string): Value {
  return indexOf(listOf(lists, list)).has(key);
}

/** What a list says in a column of the entry with a key; nothing where there is no such entry. */
export function fromList(lists: References, list: string, key: string, column: string): Value {
  const reference = listOf(lists, list);
  const c = columnOf(reference, column);
  if (c < 0) throw new Error(`The list ${list} has no column ${column}.`);
  return indexOf(reference).get(key)?.[c] ?? "";
}

/** The lists that a formula asks, by itself or through named formulas. */
export function listsIn(source: string, named: NamedFormulas = {}): string[] {
  const sources = [source, ...[...namedIn(source, named)].map((name) => named[name]!.body)];
  const found = new Set<string>();
  for (const s of sources) {
    const list = tokens(s);
    list.forEach((t, i) => {
      const name = list[i + 2];
      if (LIST_FUNCTIONS.has(t.text) && list[i + 1]?.text === "(" && name?.kind === "text") {
        found.add(name.text.slice(1, -1));
      }
    });
  }
  return [...found];
}
