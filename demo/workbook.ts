import { strToU8, zipSync } from "fflate";

/** A cell of a generated workbook: text, a number, a day (yyyy-MM-dd), an error, or nothing. */
export type WorkbookCell = string | number | { day: string } | { error: string } | null;

const escaped = (text: string): string =>
  text.replace(/[&<>"]/g, (c) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" })[c]!);

/** The name of a column counted from 0: A, …, Z, AA, … */
function columnName(n: number): string {
  return (n >= 26 ? columnName(Math.floor(n / 26) - 1) : "") + String.fromCharCode(65 + (n % 26));
}

/** An Office Open XML workbook (ECMA-376) of the given sheets, as small as it may be. */
export function workbook(
  sheets: readonly { readonly name: string; readonly rows: readonly (readonly WorkbookCell[])[] }[],
): Uint8Array {
  const strings = new Map<string, number>();
  const shared = (text: string): number => {
    const known = strings.get(text) ?? strings.size;
    strings.set(text, known);
    return known;
  };
  const cell = (value: WorkbookCell, at: string): string => {
    if (value === null || value === "") return "";
    if (typeof value === "number") return `<c r="${at}"><v>${value}</v></c>`;
    if (typeof value === "string") return `<c r="${at}" t="s"><v>${shared(value)}</v></c>`;
    if ("error" in value) return `<c r="${at}" t="e"><v>${value.error}</v></c>`;
    const serial = Date.parse(`${value.day}T00:00:00Z`) / 86_400_000 + 25_569;
    return `<c r="${at}" s="1"><v>${serial}</v></c>`;
  };
  const main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
  const head = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n`;
  const files: Record<string, Uint8Array> = {};
  const put = (name: string, xml: string): void => {
    files[name] = strToU8(head + xml);
  };
  sheets.forEach((sheet, s) => {
    const rows = sheet.rows
      .map((row, r) => `<row r="${r + 1}">${row.map((v, c) => cell(v, `${columnName(c)}${r + 1}`)).join("")}</row>`)
      .join("");
    put(`xl/worksheets/sheet${s + 1}.xml`, `<worksheet xmlns="${main}"><sheetData>${rows}</sheetData></worksheet>`);
  });
  const relationship = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
  put(
    "xl/workbook.xml",
    `<workbook xmlns="${main}" xmlns:r="${relationship}"><sheets>${sheets
      .map((s, i) => `<sheet name="${escaped(s.name)}" sheetId="${i + 1}" r:id="rId${i + 1}"/>`)
      .join("")}</sheets></workbook>`,
  );
  put(
    "xl/_rels/workbook.xml.rels",
    `<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">${sheets
      .map(
        (_, i) =>
          `<Relationship Id="rId${i + 1}" Type="${relationship}/worksheet" Target="worksheets/sheet${i + 1}.xml"/>`,
      )
      .join("")}</Relationships>`,
  );
  put(
    "xl/styles.xml",
    `<styleSheet xmlns="${main}"><numFmts count="1"><numFmt numFmtId="164" formatCode="dd\\.mm\\.yyyy"/></numFmts><cellXfs count="2"><xf numFmtId="0"/><xf numFmtId="164"/></cellXfs></styleSheet>`,
  );
  put(
    "xl/sharedStrings.xml",
    `<sst xmlns="${main}">${[...strings.keys()].map((t) => `<si><t xml:space="preserve">${escaped(t)}</t></si>`).join("")}</sst>`,
  );
  put(
    "[Content_Types].xml",
    `<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="xml" ContentType="application/xml"/><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/></Types>`,
  );
  return zipSync(files, { level: 6, mtime: new Date("2026-01-01T00:00:00") });
}
