import { cellText } from "../../kernel/bytes.ts";
import type { FigurePart } from "./part.ts";

/** The greatest of dates and times, as the target has it. */
export const newest: FigurePart = {
  id: "newest",
  of: ({ type }) => type === "date" || type === "timestamp",
  fold() {
    let greatest = "";
    return {
      take(heap, cells, r) {
        const text = cellText(heap, cells, r);
        if (text > greatest) greatest = text;
      },
      finish: () => (greatest === "" ? {} : { newest: greatest }),
    };
  },
};
