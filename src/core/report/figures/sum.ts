import { cellText } from "../../kernel/bytes.ts";
import { scaledText, unitsOf } from "../../type/scaled.ts";
import type { FigurePart } from "./part.ts";

/** The exact sum of numbers, in units of the field's last digit. */
export const sum: FigurePart = {
  id: "sum",
  of: ({ type }) => type === "integer" || type === "decimal",
  fold({ scale = 0 }) {
    const unit = 10 ** scale;
    let [total, part] = [0n, 0];
    return {
      take(heap, cells, r) {
        const text = cellText(heap, cells, r);
        if (text.length > 15) total += unitsOf(text, scale);
        else {
          // Exact while it stays below 2^53.
          part += Math.round(Number(text) * unit);
          if (Math.abs(part) > 2 ** 51) {
            total += BigInt(part);
            part = 0;
          }
        }
      },
      finish: () => ({ sum: scaledText(total + BigInt(part), scale) }),
    };
  },
};
