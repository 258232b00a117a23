import { quoted } from "../kernel/problem.ts";
import { UNITS } from "../type/units.ts";
import type { Header } from "./header.ts";
import type { Doubt } from "./part.ts";
import type { ReadSettings } from "./settings.ts";

/** Lines below the one that names the columns which say more of them, and are no records. */
export interface Below {
  readonly rows: number;
  /** "" where there are none. */
  readonly why: string;
  readonly doubt: Doubt | null;
}

/** Units and types, one line each. */
const MOST = 2;

/** Names of types, as databases and programs have them. */
const TYPES =
  /^(?:big|small|tiny|long|u)?int(?:eger)?\d*$|^(?:string|text|str|char|character|varchar2?|nvarchar|number|numeric|decimal|float\d*|double|real|long|short|byte|date|datetime|timestamp|time|bool|boolean|logical|factor|uuid|guid|json|enum|object|category|money|currency)(?:\(\d+(?:,\s*\d+)?\))?$/;
/** How dates and times are written, in letters. */
const DATE_FORMAT = /^[ymdhst]{1,4}(?:[-/.: t][ymdhst]{1,4})+z?$/;
/** What units of other kinds are made of. */
const MORE_UNITS =
  /^(?:%|‰|°|°[cfk]|deg|degrees|ppm|ppb|pcs?|pieces|items|mol|mmol|pa|hpa|kpa|bar|mbar|v|mv|a|ma|w|kw|kwh|j|kj|kcal|cal|hz|khz|mhz|db|lux|lx|n\/a|-|–|—|unitless|eur|usd|gbp|€|\$|£)$/;

/** Whether a cell says in which unit, or of which type, a column is. */
function saysMore(cell: string): boolean {
  const word = cell
    .trim()
    .toLowerCase()
    .replace(/^[([{<](.*)[)\]}>]$/, "$1")
    .trim();
  if (word === "") return true;
  if (TYPES.test(word) || DATE_FORMAT.test(word) || MORE_UNITS.test(word) || UNITS.has(word)) return true;
  // Of one by another: kg/m³, m s-1.
  const parts = word.split(/[/·*]|\s+/).map((p) => p.replace(/[-^]?\d$|[²³⁻¹]+$/u, ""));
  return parts.length > 1 && parts.every((p) => UNITS.has(p) || MORE_UNITS.test(p));
}

/** What people put where there is nothing to say: by itself no unit. */
const saysNothing = (cell: string): boolean => /^[\s(]*(?:-|–|—|n\/a|)[\s)]*$/i.test(cell);

const isNumber = (text: string): boolean => /^[-+]?[\d.,\s]*\d[\d.,\s%]*$/.test(text.trim());

/**
 * Finds the lines right below the header that say units or types: each of their cells is one, or empty. They are so for
 * sure where the values below are numbers and the cell is none; where a column has the same word for a value it is a
 * record like the others; else it is asked.
 * @param rows the first rows of the table
 */
export function rowsBelow(
  rows: readonly (readonly string[])[],
  { header, row }: Pick<Header, "header" | "row">,
  line: (row: number) => string,
  settings: ReadSettings,
): Below {
  if (!header) return { rows: 0, why: "", doubt: null };
  if (settings.below !== undefined) return { rows: settings.below, why: "as set", doubt: null };
  let found = 0;
  let sure = true;
  while (found < MOST && row + found + 2 < rows.length) {
    const own = rows[row + found + 1]!;
    const filled = own.filter((c) => c.trim() !== "");
    if (filled.every(saysNothing) || !own.every(saysMore)) break;
    const rest = rows.slice(row + found + 2);
    // What a column has again is one of its values.
    const again = own.some(
      (c, i) => c.trim() !== "" && c.trim() !== "-" && rest.some((r) => r[i]?.trim() === c.trim()),
    );
    if (again) break;
    const against = own.some((c, i) => {
      const values = rest.map((r) => r[i]?.trim() ?? "").filter((v) => v !== "");
      return c.trim() !== "" && values.length > 0 && values.filter(isNumber).length > values.length * 0.7;
    });
    // A letter alone is a value as often as a unit: only numbers below it make it one.
    if (!against && !filled.some((c) => !saysNothing(c) && c.trim().length > 1)) break;
    if (!against) {
      // Two cells or more that are types leave hardly a doubt; one word may be a value.
      sure = filled.length > 1 && filled.every((c) => TYPES.test(c.trim().toLowerCase()));
    }
    found++;
    if (!sure) break;
  }
  if (found === 0) return { rows: 0, why: "", doubt: null };
  const at = row + found;
  const shows = rows[at]!.filter((c) => c.trim() !== "").slice(0, 4);
  const words = `${line(at)} says units or types: ${shows.map((c) => quoted(c.trim())).join(", ")}`;
  if (sure) return { rows: found, why: words, doubt: null };
  const reading = (value: number, says: string): Doubt["readings"][number] => ({
    value,
    says: `${line(at)} ${says}`,
    shows,
  });
  return {
    rows: found,
    why: `${words}, as far as can be told`,
    doubt: { setting: "below", readings: [reading(found, "says units or types"), reading(found - 1, "is a record")] },
  };
}
