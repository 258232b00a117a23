import { NO_REFERENCES } from "../kernel/reference.ts";
import { define, type FormulaFunction } from "./define.ts";
import { fromList, inList } from "./lists.ts";

/** Functions that ask reference lists. */
export const OF_LISTS: readonly FormulaFunction[] = [
  define(
    "inList",
    ["string", "string"],
    "bool",
    ["list", "key"],
    "Whether a reference list has an entry with a key, whatever its dates. The list's name is written out.",
    [
      ["inList('countries', 'SE')", true],
      ["inList('countries', 'XX')", false],
    ],
    (list: string, key: string) => inList(NO_REFERENCES, list, key),
    { withLists: (lists) => (list: string, key: string) => inList(lists, list, key) },
  ),
  define(
    "inList",
    ["string", "string", "timestamp"],
    "bool",
    ["list", "key", "day"],
    "Whether a reference list has an entry with a key that holds on a day.",
    [
      ["inList('vaults', 'V1', timestamp('2020-06-01T00:00:00Z'))", true],
      ["inList('vaults', 'V2', timestamp('2020-06-01T00:00:00Z'))", false],
    ],
    (list: string, key: string, on: number) => inList(NO_REFERENCES, list, key, on),
    { withLists: (lists) => (list: string, key: string, on: number) => inList(lists, list, key, on) },
  ),
  define(
    "fromList",
    ["string", "string", "string"],
    "string",
    ["list", "key", "column"],
    "What a reference list says in a column of the entry with a key, a synonym's accepted one; an empty text where there is none. The list's and the column's names are written out.",
    [
      ["fromList('countries', 'NO', 'name')", "Norway"],
      ["fromList('countries', 'NOR', 'name')", "Norway"],
      ["fromList('countries', 'XX', 'name')", ""],
    ],
    (list: string, key: string, column: string) => fromList(NO_REFERENCES, list, key, column),
    { withLists: (lists) => (list: string, key: string, column: string) => fromList(lists, list, key, column) },
  ),
  define(
    "fromList",
    ["string", "string", "string", "timestamp"],
    "string",
    ["list", "key", "column", "day"],
    "The same of the entry that holds on a day.",
    [
      ["fromList('vaults', 'V1', 'place', timestamp('2020-12-31T00:00:00Z'))", "Harbour store"],
      ["fromList('vaults', 'V1', 'place', timestamp('2021-01-01T00:00:00Z'))", "Hill store"],
    ],
    (list: string, key: string, column: string, on: number) => fromList(NO_REFERENCES, list, key, column, on),
    {
      withLists: (lists) => (list: string, key: string, column: string, on: number) =>
        fromList(lists, list, key, column, on),
    },
  ),
];
