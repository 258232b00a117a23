import type { FormatPart } from "../part.ts";
import { SHEET_SETTINGS } from "../sheets/settings.ts";

/** OpenDocument spreadsheets, which say what they are in a file of their own. */
export const ods: FormatPart<"ods"> = {
  id: "ods",
  title: "OpenDocument spreadsheet",
  settings: SHEET_SETTINGS,
  promised: { ends: /\.ods$/i, is: "an OpenDocument spreadsheet" },
  async inZip(names, textOf) {
    if (!names.includes("mimetype") || !names.includes("content.xml")) return null;
    const type = (await textOf("mimetype")).trim();
    return type.startsWith("application/vnd.oasis.opendocument.spreadsheet")
      ? "a zip archive that says it is an OpenDocument spreadsheet"
      : null;
  },
};
