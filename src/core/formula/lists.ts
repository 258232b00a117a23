import { acceptedEntries, columnOf, holdingOf, type Reference, type References } from "../kernel/reference.ts";
import { namedIn, type NamedFormulas } from "./named.ts";
import { tokens } from "./syntax.ts";
import type { Value } from "./value.ts";

/** Names of the functions that ask a reference list, whose name is their first argument. */
export const LIST_FUNCTIONS: ReadonlySet<string> = new Set(["inList", "fromList"]);

/** An entry of a list: its own cells, and those of what it says, which for a synonym is its accepted entry. */
interface Entry {
  readonly own: readonly string[];
  readonly says: readonly string[];
}

/** A list's entries by their keys, and whether one holds on a day. */
interface Index {
  readonly entries: ReadonlyMap<string, readonly Entry[]>;
  readonly holds: ReturnType<typeof holdingOf>;
}

const indexes = new WeakMap<Reference, Index>();

function indexOf(reference: Reference): Index {
  let index = indexes.get(reference);
  if (!index) {
    const made = new Map<string, Entry[]>();
    const key = columnOf(reference, reference.key);
    const accepted = acceptedEntries(reference);
    reference.entries.forEach((cells, i) => {
      const value = cells[key]!;
      if (value === "") return;
      const entry = { own: cells, says: reference.entries[accepted[i]!]! };
      const same = made.get(value);
      if (same) same.push(entry);
      else made.set(value, [entry]);
    });
    indexes.set(reference, (index = { entries: made, holds: holdingOf(reference) }));
  }
  return index;
}

function listOf(lists: References, name: string): Reference {
  const list = lists.get(name);
  if (!list) throw new Error(`The list ${name} is not at hand.`);
  return list;
}

/** The first entry with a key; with a day, the first that holds on it. `day`: microseconds, as formulas have days. */
function entryOf(reference: Reference, key: string, day: number | undefined): Entry | undefined {
  const { entries, holds } = indexOf(reference);
  const known = entries.get(key);
  if (day === undefined || !known) return known?.[0];
  const on = new Date(day / 1000).toISOString().slice(0, 10);
  return known.find(({ own }) => holds(own, on));
}

/** Whether a list has an entry with a key, on a day where one is given. */
export function inList(lists: References, list: string, key: string, day?: number): Value {
  return entryOf(listOf(lists, list), key, day) !== undefined;
}

/** What a list says in a column of the entry with a key, on a day where one is given; nothing where there is no such entry. */
export function fromList(lists: References, list: string, key: string, column: string, day?: number): Value {
  const reference = listOf(lists, list);
  const c = columnOf(reference, column);
  if (c < 0) throw new Error(`The list ${list} has no column ${column}.`);
  return entryOf(reference, key, day)?.says[c] ?? "";
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
