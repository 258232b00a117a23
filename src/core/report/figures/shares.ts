import { cellText } from "../../kernel/bytes.ts";
import type { FigurePart } from "./part.ts";

/** Values of a distribution that are counted one by one, and those of them that are kept. */
const MOST_COUNTED = 5_000;
const MOST_KEPT = 100;

/** The commonest values with their shares; of whatever has no other figure. */
export const shares: FigurePart = {
  id: "shares",
  of: () => true,
  fold() {
    const counts = new Map<string, number>();
    return {
      take(heap, cells, r) {
        const text = cellText(heap, cells, r);
        const known = counts.get(text);
        if (known !== undefined || counts.size < MOST_COUNTED) counts.set(text, (known ?? 0) + 1);
      },
      finish: (count) => ({
        shares: [...counts]
          .sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1))
          .slice(0, MOST_KEPT)
          .map(([value, n]) => [value, n / count] as const),
      }),
    };
  },
};
