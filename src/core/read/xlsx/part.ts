import type { FormatPart } from "../part.ts";
import { SHEET_SETTINGS } from "../sheets/settings.ts";

/** Office Open XML workbooks. */
export const xlsx: FormatPart<"xlsx"> = {
  id: "xlsx",
  title: "Workbook (XLSX)",
  settings: SHEET_SETTINGS,
  promised: { ends: /\.(xlsx|xlsm|xls)$/i, is: "a workbook" },
  inZip: (names) =>
    Promise.resolve(
      names.some((n) => n.toLowerCase() === "xl/workbook.xml") ? "a zip archive with a workbook in it" : null,
    ),
};
