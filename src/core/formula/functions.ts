import type { References } from "../kernel/reference.ts";
import type { FormulaFunction } from "./define.ts";
import { MATH } from "./math.ts";
import { OF_DATES } from "./of-dates.ts";
import { OF_LISTS } from "./of-lists.ts";
import { OF_NUMBERS } from "./of-numbers.ts";
import { OF_TEXT } from "./of-text.ts";
import { PARTS_OF_VALUES } from "./parts-of-values.ts";

/** The lists that the examples ask. */
export const EXAMPLE_LISTS: References = new Map([
  [
    "countries",
    {
      name: "countries",
      version: 1,
      columns: ["code", "name", "now"],
      key: "code",
      accepted: "now",
      entries: [
        ["NO", "Norway", ""],
        ["SE", "Sweden", ""],
        ["NOR", "", "NO"],
      ],
    },
  ],
  [
    "vaults",
    {
      name: "vaults",
      version: 1,
      columns: ["code", "place", "from", "to"],
      key: "code",
      since: "from",
      until: "to",
      entries: [
        ["V1", "Harbour store", "", "2020-12-31"],
        ["V1", "Hill store", "2021-01-01", ""],
      ],
    },
  ],
]);

/** Every function that formulas can call. */
export const FUNCTIONS: readonly FormulaFunction[] = [
  ...OF_TEXT,
  ...OF_NUMBERS,
  ...OF_DATES,
  ...OF_LISTS,
  ...PARTS_OF_VALUES,
  ...MATH,
];
