import type { FormatPart } from "../part.ts";
import { SETTINGS, TEXT_SETTINGS, sharedSettings } from "../settings.ts";

/** XML. */
export const xml: FormatPart<"xml"> = {
  id: "xml",
  title: "XML",
  settings: {
    ...TEXT_SETTINGS,
    records: SETTINGS.records.optional().describe("The path of the records' elements, such as /transfers/transfer"),
    ...sharedSettings("each", "arrays"),
  },
  promised: { ends: /\.xml$/i, is: "XML" },
};
