import type { FormatPart } from "../part.ts";
import { SETTINGS, TEXT_SETTINGS, sharedSettings } from "../settings.ts";

/** One JSON text. */
export const json: FormatPart<"json"> = {
  id: "json",
  title: "JSON",
  settings: {
    ...TEXT_SETTINGS,
    records: SETTINGS.records
      .optional()
      .describe("The path of the records' array, such as $.items; $ for the text's own"),
    ...sharedSettings("each", "arrays"),
  },
  promised: { ends: /\.json$/i, is: "JSON of records", or: "json-lines" },
};

/** One JSON text a line. */
export const jsonLines: FormatPart<"json-lines"> = {
  id: "json-lines",
  title: "JSON Lines",
  settings: { ...TEXT_SETTINGS, ...sharedSettings("each", "arrays") },
  promised: { ends: /\.(jsonl|ndjson)$/i, is: "lines of JSON", or: "json" },
};
