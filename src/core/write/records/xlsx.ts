import { Zip, ZipDeflate, strToU8 } from "fflate";
import { SieveError, grouped } from "../../kernel/problem.ts";
import { microsOf } from "../../formula/value.ts";
import { asContent } from "../entities.ts";
import type { Field } from "../../field/field.ts";
import type { OutputPart, RecordWriter } from "./part.ts";
import { textOfValue } from "./typed.ts";

/** Rows of a sheet, its heading among them, and characters of a cell, by ECMA-376. */
const MOST_ROWS = 1_048_576;
const MOST_CHARACTERS = 32_767;
/** Digits that a number of a workbook keeps. */
const EXACT_DIGITS = 15;
const DAY_MICROS = 86_400_000_000;
/** 1 March 1900, from which on days are counted alike by every program, and the day that is counted as 0. */
const FIRST_DAY = "1900-03-01";
const DAY_ZERO = microsOf("1899-12-30") / DAY_MICROS;
/** By number: no style, bold, a day, a moment, a cell that something is said of. */
const STYLE = { plain: 0, heading: 1, day: 2, moment: 3, remarked: 4 };
/** Remarks of a sheet, which stay in memory until it ends; cells are coloured past that too. */
const MOST_REMARKS = 20_000;

const HEAD = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';
const MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
const RELATIONS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
const PACKAGE = "http://schemas.openxmlformats.org/package/2006";
const TYPES = "application/vnd.openxmlformats-officedocument.spreadsheetml";

const PARTS: Readonly<Record<string, string>> = {
  "[Content_Types].xml": `<Types xmlns="${PACKAGE}/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="${TYPES}.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="${TYPES}.worksheet+xml"/><Override PartName="/xl/styles.xml" ContentType="${TYPES}.styles+xml"/></Types>`,
  "_rels/.rels": `<Relationships xmlns="${PACKAGE}/relationships"><Relationship Id="rId1" Type="${RELATIONS}/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
  "xl/workbook.xml": `<workbook xmlns="${MAIN}" xmlns:r="${RELATIONS}"><sheets><sheet name="records" sheetId="1" r:id="rId1"/></sheets></workbook>`,
  "xl/_rels/workbook.xml.rels": `<Relationships xmlns="${PACKAGE}/relationships"><Relationship Id="rId1" Type="${RELATIONS}/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="rId2" Type="${RELATIONS}/styles" Target="styles.xml"/></Relationships>`,
  "xl/styles.xml": `<styleSheet xmlns="${MAIN}"><numFmts count="2"><numFmt numFmtId="164" formatCode="yyyy\\-mm\\-dd"/><numFmt numFmtId="165" formatCode="yyyy\\-mm\\-dd\\ hh:mm:ss"/></numFmts><fonts count="2"><font><sz val="11"/><name val="Calibri"/></font><font><b/><sz val="11"/><name val="Calibri"/></font></fonts><fills count="3"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill><fill><patternFill patternType="solid"><fgColor rgb="FFF3DDB0"/></patternFill></fill></fills><borders count="1"><border/></borders><cellStyleXfs count="1"><xf/></cellStyleXfs><cellXfs count="5"><xf/><xf fontId="1" applyFont="1"/><xf numFmtId="164" applyNumberFormat="1"/><xf numFmtId="165" applyNumberFormat="1"/><xf fillId="2" applyFill="1"/></cellXfs></styleSheet>`,
};

/** What a package with remarks has beside: its types, and what the sheet refers to. */
const REMARKED: Readonly<Record<string, string>> = {
  ...PARTS,
  "[Content_Types].xml": PARTS["[Content_Types].xml"]!.replace(
    "</Types>",
    `<Default Extension="vml" ContentType="application/vnd.openxmlformats-officedocument.vmlDrawing"/><Override PartName="/xl/comments1.xml" ContentType="${TYPES}.comments+xml"/></Types>`,
  ),
  "xl/worksheets/_rels/sheet1.xml.rels": `<Relationships xmlns="${PACKAGE}/relationships"><Relationship Id="rId1" Type="${RELATIONS}/vmlDrawing" Target="../drawings/vmlDrawing1.vml"/><Relationship Id="rId2" Type="${RELATIONS}/comments" Target="../comments1.xml"/></Relationships>`,
};

/** A remark on a cell, both from 0. */
interface Remark {
  readonly row: number;
  readonly column: number;
  readonly text: string;
}

function remarksXml(remarks: readonly Remark[]): string {
  const list = remarks.map(
    ({ row, column, text }) =>
      `<comment ref="${letters(column)}${row + 1}" authorId="0"><text><r><t xml:space="preserve">${cellXml(text)}</t></r></text></comment>`,
  );
  return `${HEAD}<comments xmlns="${MAIN}"><authors><author>Good Sieve</author></authors><commentList>${list.join("")}</commentList></comments>`;
}

/** Where the boxes of remarks stand, in the drawing language that workbooks have for it. */
function boxesXml(remarks: readonly Remark[]): string {
  const boxes = remarks.map(
    ({ row, column }, i) =>
      `<v:shape id="r${i}" type="#t" style="position:absolute;visibility:hidden" fillcolor="#f6f2e9"><x:ClientData ObjectType="Note"><x:Anchor>${column + 1},8,${row},4,${column + 4},8,${row + 5},4</x:Anchor><x:Row>${row}</x:Row><x:Column>${column}</x:Column></x:ClientData></v:shape>`,
  );
  return `<xml xmlns:v="urn:schemas-microsoft-com:vml" xmlns:o="urn:schemas-microsoft-com:office:office" xmlns:x="urn:schemas-microsoft-com:office:excel"><v:shapetype id="t" coordsize="21600,21600" o:spt="202" path="m,l,21600r21600,l21600,xe"/>${boxes.join("")}</xml>`;
}

/** The letters of a column, from 0 on: A, B, … Z, AA. */
function letters(column: number): string {
  const rest = column % 26;
  const own = String.fromCharCode(65 + rest);
  return column < 26 ? own : letters((column - rest) / 26 - 1) + own;
}

/** Text of a cell: what XML can't have stands as `_x0007_`, and what looks like that is told apart from it. */
function cellXml(text: string): string {
  return asContent(
    text
      .replace(/_x([0-9A-Fa-f]{4})_/g, "_x005F_x$1_")
      .replace(
        /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g,
        (c) => `_x${c.charCodeAt(0).toString(16).toUpperCase().padStart(4, "0")}_`,
      ),
  );
}

const textCell = (at: string, text: string, style: number): string =>
  `<c r="${at}" t="inlineStr"${style > 0 ? ` s="${style}"` : ""}><is><t xml:space="preserve">${cellXml(text)}</t></is></c>`;

const numberCell = (at: string, n: string | number, style: number): string =>
  `<c r="${at}"${style > 0 ? ` s="${style}"` : ""}><v>${n}</v></c>`;

/** A number as it is kept, where a workbook keeps all of its digits. */
function exactNumber(canonical: string): string | null {
  const [, sign, whole, part = ""] = /^([+-]?)0*(\d*)(?:\.(\d*?)0*)?$/.exec(canonical) ?? [];
  if (whole === undefined || whole.length + part.length > EXACT_DIGITS) return null;
  return `${sign === "-" ? "-" : ""}${whole || "0"}${part ? `.${part}` : ""}`;
}

function cellOf(field: Field, at: string, canonical: string): string {
  if (canonical === "") return "";
  const number = field.type === "integer" || field.type === "decimal" || (field.type === "money" && field.currency);
  if (number) {
    const exact = exactNumber(canonical);
    if (exact !== null) return numberCell(at, exact, STYLE.plain);
  }
  if (field.type === "boolean")
    return `<c r="${at}" t="b"><v>${canonical === "t" || canonical === "true" ? 1 : 0}</v></c>`;
  if ((field.type === "date" || field.type === "timestamp") && /^\d{4}-/.test(canonical) && canonical >= FIRST_DAY) {
    const days = microsOf(canonical) / DAY_MICROS - DAY_ZERO;
    if (field.type === "date") return numberCell(at, Math.round(days), STYLE.day);
    // A moment with parts of a second would be rounded.
    if (!/\.\d*[1-9]/.test(canonical)) return numberCell(at, days, STYLE.moment);
  }
  return textCell(at, textOfValue(field, canonical), STYLE.plain);
}

/**
 * A workbook of one sheet (ECMA-376), typed: days are days, numbers numbers where all of their digits are kept, and texts
 * are never run as formulas. Throws `out-unfit` where there are more records, or longer texts, than a sheet can have.
 */
export const xlsx: OutputPart<"xlsx"> = {
  id: "xlsx",
  title: "Workbook",
  extensions: ["xlsx"],
  open: (fields) => openWorkbook(fields, false),
};

/** The same with remarks on cells, which are coloured, where `remarks` says so. */
export function openWorkbook(fields: readonly Field[], remarks: boolean): RecordWriter {
  const ready: Uint8Array[] = [];
  const zip = new Zip((error, bytes) => {
    if (error) throw error;
    ready.push(bytes);
  });
  const put = (name: string, text: string): void => {
    const part = new ZipDeflate(name);
    zip.add(part);
    part.push(strToU8(text), true);
  };
  for (const [name, text] of Object.entries(remarks ? REMARKED : PARTS)) put(name, HEAD + text);
  const sheet = new ZipDeflate("xl/worksheets/sheet1.xml");
  zip.add(sheet);
  const columns = fields.map((_, f) => letters(f));
  const heading = fields.map((f, i) => textCell(`${columns[i]!}1`, f.name, STYLE.heading)).join("");
  const frozen = '<pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/>';
  let rows = 1;
  let waiting = [
    `${HEAD}<worksheet xmlns="${MAIN}" xmlns:r="${RELATIONS}"><sheetViews><sheetView workbookViewId="0">${frozen}</sheetView></sheetViews><sheetData><row r="1">${heading}</row>`,
  ];
  const said: Remark[] = [];
  const push = (last: boolean): void => {
    sheet.push(strToU8(waiting.join("")), last);
    waiting = [];
  };
  return {
    add(values, about) {
      if (++rows > MOST_ROWS) {
        throw new SieveError("out-unfit", `A sheet has at most ${grouped(MOST_ROWS - 1)} records.`, {
          hint: "Write several files, or another format.",
        });
      }
      const long = values.findIndex((v) => v.length > MOST_CHARACTERS);
      if (long >= 0) {
        throw new SieveError(
          "out-unfit",
          `${fields[long]!.name} of record ${grouped(rows - 1)} is longer than a cell of a workbook can be.`,
          {
            detail: `It has ${grouped(values[long]!.length)} characters; a cell has at most ${grouped(MOST_CHARACTERS)}.`,
            hint: "Write another format.",
          },
        );
      }
      waiting.push(
        `<row r="${rows}">${values
          .map((v, f) => {
            const at = `${columns[f]!}${rows}`;
            return remarks && about?.has(f) ? textCell(at, v, STYLE.remarked) : cellOf(fields[f]!, at, v);
          })
          .join("")}</row>`,
      );
      if (remarks && about) {
        for (const [column, text] of about) if (said.length < MOST_REMARKS) said.push({ row: rows - 1, column, text });
      }
      if (waiting.length >= 500) push(false);
    },
    take() {
      if (waiting.length > 0) push(false);
      const bytes = new Uint8Array(ready.reduce((n, b) => n + b.length, 0));
      let at = 0;
      for (const b of ready.splice(0)) {
        bytes.set(b, at);
        at += b.length;
      }
      return bytes;
    },
    end() {
      waiting.push(`</sheetData>${remarks ? '<legacyDrawing r:id="rId1"/>' : ""}</worksheet>`);
      push(true);
      if (remarks) {
        put("xl/comments1.xml", remarksXml(said));
        put("xl/drawings/vmlDrawing1.vml", boxesXml(said));
      }
      zip.end();
    },
  };
}
