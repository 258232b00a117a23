import type { Doubt } from "./part.ts";

/** What people write before a sum below a table. */
const TOTALS = new Set(
  (
    "total|totals|grand total|sub total|subtotal|sum|sum total|overall|all|summe|gesamt|gesamtsumme|insgesamt|zwischensumme|" +
    "somme|total général|totale|totale generale|total general|suma|soma|razem|ogółem|łącznie|celkem|spolu|összesen|ukupno|" +
    "skupaj|toplam|genel toplam|totaal|totalt|sammanlagt|i alt|yhteensä|kokku|kopā|iš viso|итого|всего|усього|разом|общо|" +
    "укупно|σύνολο|合計|小計|合计|总计|總計|合計額|합계|총계|סה״כ|סך הכל|المجموع|الإجمالي|รวม|tổng cộng"
  ).split("|"),
);

/**
 * Whether the last record of a file may be none: a sum of those above it (one of its cells says so, and no other has
 * words), or a note (one cell of words, where the others have three and more). A record that is held does no harm.
 * @param usual cells that the records before it have filled
 */
export function footDoubt(cells: readonly string[], usual: number): Doubt | null {
  const filled = cells.map((c) => c.trim()).filter((c) => c !== "");
  if (isSum(filled)) return doubt("a sum", filled);
  const [only = ""] = filled;
  const note = filled.length === 1 && usual >= 3 && (only.match(/\p{L}{2,}/gu) ?? []).length >= 2;
  return note ? doubt("a note", filled) : null;
}

function isSum(filled: readonly string[]): boolean {
  const says = filled.filter((c) => TOTALS.has(c.toLowerCase().replace(/[\s:.=]+$/u, "")));
  if (says.length !== 1 || filled.length < 2) return false;
  const others = filled.filter((c) => c !== says[0]);
  return others.length > 0 && others.every((c) => /\d/.test(c) && !/\p{L}{3}/u.test(c));
}

function doubt(what: string, filled: readonly string[]): Doubt {
  const shows = filled.slice(0, 5);
  return {
    setting: "skip_end",
    readings: [
      { value: 0, says: "the last line is a record", shows },
      { value: 1, says: `the last line is ${what}`, shows },
    ],
  };
}
