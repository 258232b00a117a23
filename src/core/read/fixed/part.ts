import type { FormatPart } from "../part.ts";
import { TEXT_SETTINGS, sharedSettings } from "../settings.ts";

/** Text whose columns stand at fixed places of the line. */
export const fixed: FormatPart<"fixed"> = {
  id: "fixed",
  title: "Fixed-width text",
  settings: { ...TEXT_SETTINGS, ...sharedSettings("starts", "header", "skip") },
};
