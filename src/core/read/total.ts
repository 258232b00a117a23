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
 * Whether the last record of a file may be a sum of those above it: one of its cells says so, and no other has words. A
 * record that is held does no harm.
 */
export function totalDoubt(cells: readonly string[]): Doubt | null {
  const filled = cells.map((c) => c.trim()).filter((c) => c !== "");
  const says = filled.filter((c) => TOTALS.has(c.toLowerCase().replace(/[\s:.=]+$/u, "")));
  if (says.length !== 1 || filled.length < 2) return null;
  const others = filled.filter((c) => c !== says[0]);
  if (others.length === 0 || !others.every((c) => /\d/.test(c) && !/\p{L}{3}/u.test(c))) return null;
  const shows = filled.slice(0, 5);
  return {
    setting: "skip_end",
    readings: [
      { value: 0, says: "the last line is a record", shows },
      { value: 1, says: "the last line is a sum", shows },
    ],
  };
}
