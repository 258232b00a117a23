import { textOf } from "../kernel/bytes.ts";
import { SieveError } from "../kernel/problem.ts";
import { DelimitedReader } from "../read/delimited/reader.ts";
import { csvRow } from "../write/csv.ts";

/** A table of spellings as it was brought in. */
export interface ValueTable {
  /** By wanted value: its spellings. */
  readonly to: Record<string, string[]>;
  readonly spellings: number;
  /** Lines without two values. */
  readonly passedOver: number;
}

const MOST_BYTES = 5 << 20;
/** What the heading of the column of wanted values is called, as a rule. */
const WANTED = /^(to|becomes?|wanted|code|value|target|accepted|is)$/i;
const SPELLING = /^(from|spelling|variant|written|was|old|synonym|raw)s?$/i;

/**
 * Reads a table of two columns in UTF-8: spellings, and what each becomes. Comma, semicolon or tab.
 * A first line with headings such as “spelling” and “becomes” tells which is which; without, the
 * spelling stands first. Throws `table-unusable`.
 */
export function readValueTable(bytes: Uint8Array): ValueTable {
  if (bytes.length > MOST_BYTES) {
    throw new SieveError("table-unusable", "The table has more than 5 MB.", {
      hint: "Split it, or look values up in a list.",
    });
  }
  const head = new TextDecoder().decode(bytes.subarray(0, 4096)).split(/\r?\n/)[0] ?? "";
  const delimiter = ["\t", ";", ","].find((d) => head.includes(d)) ?? ",";
  const reader = new DelimitedReader(
    { delimiter, quote: '"', escape: '"', header: false, skip: 0, encoding: "utf-8" },
    0,
  );
  const rows: string[][] = [];
  for (const block of reader.push(bytes, true)) {
    for (let r = 0; r < block.count; r++) {
      if (block.unreadable.has(r)) rows.push([]);
      else {
        rows.push(
          Array.from({ length: block.width }, (_, c) => {
            const i = r * block.width + c;
            return textOf(block.heap.bytes, block.start[i]!, block.end[i]!).trim();
          }),
        );
      }
    }
  }
  let [spelling, wanted] = [0, 1];
  const first = rows[0] ?? [];
  const [w, s] = [first.findIndex((c) => WANTED.test(c)), first.findIndex((c) => SPELLING.test(c))];
  if (w >= 0 && s >= 0 && w !== s) {
    [spelling, wanted] = [s, w];
    rows.shift();
  }
  const to = new Map<string, string[]>();
  let [spellings, passedOver] = [0, 0];
  for (const row of rows) {
    const [from, is] = [row[spelling] ?? "", row[wanted] ?? ""];
    if (from === "" || is === "") {
      passedOver++;
      continue;
    }
    const list = to.get(is) ?? [];
    to.set(is, list);
    if (from === is || list.includes(from)) continue;
    list.push(from);
    spellings++;
  }
  if (to.size === 0) {
    throw new SieveError("table-unusable", "No line of the table has two values.", {
      hint: "It needs a column of spellings and a column of what they become.",
    });
  }
  return { to: Object.fromEntries(to), spellings, passedOver };
}

/** Two tables as one; a spelling that both have becomes what the second says. */
export function mergeValueTables(
  a: Readonly<Record<string, readonly string[]>>,
  b: Readonly<Record<string, readonly string[]>>,
): Record<string, string[]> {
  const taken = new Set(Object.values(b).flat());
  const merged: Record<string, string[]> = {};
  for (const [to, list] of Object.entries(a)) merged[to] = list.filter((s) => !taken.has(s));
  for (const [to, list] of Object.entries(b)) merged[to] = [...new Set([...(merged[to] ?? []), ...list])];
  return merged;
}

/** The table as CSV that can be brought in again. */
export function valueTableCsv(to: Readonly<Record<string, readonly string[]>>): string {
  const rows = Object.entries(to).flatMap(([is, list]) => (list.length === 0 ? [[is, is]] : list.map((s) => [s, is])));
  return [["spelling", "becomes"], ...rows].map((row) => csvRow(row, true)).join("");
}
