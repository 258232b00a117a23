import type { FormatPart } from "../part.ts";
import { SETTINGS, TEXT_SETTINGS, sharedSettings } from "../settings.ts";

/** Delimited text. */
export const delimited: FormatPart<"delimited"> = {
  id: "delimited",
  title: "Delimited text",
  settings: {
    ...TEXT_SETTINGS,
    delimiter: SETTINGS.delimiter.default("auto"),
    quote: SETTINGS.quote.default('"'),
    ...sharedSettings("escape", "row"),
    header: SETTINGS.header.default(true),
    skip: SETTINGS.skip.default(0),
    ...sharedSettings("below", "skip_end", "comment"),
  },
};
