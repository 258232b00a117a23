import { sharedSettings } from "../settings.ts";

/** The settings of workbooks, of whichever format. */
export const SHEET_SETTINGS = sharedSettings(
  "sheets",
  "header",
  "skip",
  "below",
  "skip_end",
  "as_shown",
  "fill_merged",
);
