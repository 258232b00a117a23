import { Random } from "./random.ts";
import { COLLECTORS, COUNTRIES, REMARKS, SITES, TAXA } from "./words.ts";

/** A fault put into a record on purpose; the check that must find it. */
export interface Truth {
  file: string;
  /** Line of the record's first character, from 1. */
  line: number;
  fault: FaultKind;
  /** Key of the check that must name it. */
  check: string;
}

export interface Delivery {
  partner: string;
  sender: string;
  month: string;
  name: string;
  bytes: Uint8Array;
  records: number;
  truth: Truth[];
}

export const FIELDS = [
  "accession",
  "partner",
  "scientific_name",
  "collector",
  "collected_on",
  "site",
  "country",
  "latitude",
  "longitude",
  "altitude_m",
  "quantity_g",
  "herbarium_sheet",
  "packed_at",
  "remarks",
] as const;
type FieldName = (typeof FIELDS)[number];
type Row = Record<FieldName, string>;

interface Partner {
  code: string;
  sender: string;
  delimiter: string;
  lineEnd: string;
  latin: boolean;
  quoteAll: boolean;
  decimalComma: boolean;
  date: (y: number, m: number, d: number) => string;
  /** The field behind each column, in the partner's own order, and what it calls it. */
  columns: [FieldName, string][];
}

const two = (n: number): string => String(n).padStart(2, "0");
const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
const names = (list: string): [FieldName, string][] => list.split(",").map((name, i) => [FIELDS[i]!, name.trim()]);

export const PARTNERS: Partner[] = [
  {
    code: "BHG",
    sender: "Brindle Hollow Garden",
    delimiter: ",",
    lineEnd: "\n",
    latin: false,
    quoteAll: false,
    decimalComma: false,
    date: (y, m, d) => `${y}-${two(m)}-${two(d)}`,
    columns: names(
      "Accession No,Partner,Scientific name,Collector,Collected on,Site,Country,Latitude,Longitude,Altitude (m),Seeds (g),Herbarium sheet,Packed at,Remarks",
    ),
  },
  {
    code: "CWA",
    sender: "Coldwell Arboretum",
    delimiter: ";",
    lineEnd: "\r\n",
    latin: false,
    quoteAll: false,
    decimalComma: true,
    date: (y, m, d) => `${two(d)}.${two(m)}.${y}`,
    columns: names(
      "accession_number,garden,taxon,collected_by,date_collected,locality,country_code,lat,lon,elevation,seed_weight_g,sheet,packed,notes",
    ),
  },
  {
    code: "MIB",
    sender: "Marrow Isle Botanic Trust",
    delimiter: "\t",
    lineEnd: "\n",
    latin: false,
    quoteAll: false,
    decimalComma: false,
    date: (y, m, d) => `${d} ${MONTHS[m - 1]} ${y}`,
    columns: names(
      "ACC NO,PARTNER,SCIENTIFIC NAME,COLLECTOR,COLLECTED,SITE,COUNTRY,LATITUDE,LONGITUDE,ALTITUDE M,QUANTITY G,HERBARIUM SHEET,PACKED AT,REMARKS",
    ),
  },
  {
    code: "QFS",
    sender: "Quillfen Field Station",
    delimiter: ";",
    lineEnd: "\n",
    latin: false,
    quoteAll: true,
    decimalComma: true,
    date: (y, m, d) => `${two(d)}/${two(m)}/${y}`,
    columns: names(
      "Accession,Partner,Taxon,Collector,Collected on,Site,Country,Latitude,Longitude,Altitude,Quantity (g),Sheet,Packed at,Remarks",
    ).reverse(),
  },
  {
    code: "SMH",
    sender: "Saltmere Herbarium",
    delimiter: "|",
    lineEnd: "\r\n",
    latin: true,
    quoteAll: false,
    decimalComma: false,
    date: (y, m, d) => `${y}-${two(m)}-${two(d)}`,
    columns: names(
      "accession,partner,scientific name,collector,collected on,site,country,latitude,longitude,altitude,seeds g,sheet,packed at,remarks",
    ),
  },
];

const CELL_FAULTS = {
  "not a date": ["collected_on:type", (row, p) => (row.collected_on = p.date(2026, 2, 31))],
  "a word for a date": ["collected_on:type", (row) => (row.collected_on = "early spring")],
  "collected in the future": ["collected_on:most", (row, p) => (row.collected_on = p.date(2062, 5, 14))],
  "not a whole number": ["altitude_m:type", (row) => (row.altitude_m = "about 40")],
  "too high": ["altitude_m:most", (row) => (row.altitude_m = "12400")],
  "not a number": ["quantity_g:type", (row) => (row.quantity_g = `ca. ${row.quantity_g}`)],
  "too many decimals": ["quantity_g:type", (row) => (row.quantity_g = "0.00042")],
  "nothing weighed": ["quantity_g:least", (row) => (row.quantity_g = "0.000")],
  "off the globe": ["latitude:most", (row) => (row.latitude = "123.4000")],
  "unknown country": ["country:type", (row) => (row.country = "ZZ")],
  "neither yes nor no": ["herbarium_sheet:type", (row) => (row.herbarium_sheet = "perhaps")],
  "no such time": ["packed_at:type", (row) => (row.packed_at = row.packed_at.replace(/T\d\d/, "T27"))],
  "no name": ["scientific_name:required", (row) => (row.scientific_name = "")],
  "a word for no name": ["scientific_name:required", (row) => (row.scientific_name = " ? ")],
  "name too long": [
    "scientific_name:length",
    (row) => (row.scientific_name = `${row.scientific_name} ${"var. litoralis ".repeat(6).trim()}`),
  ],
  "number misformed": ["accession:pattern", (row) => (row.accession = row.accession.replace("-", "/"))],
} satisfies Record<string, [string, (row: Row, partner: Partner) => unknown]>;

const LINE_FAULTS = {
  "too few cells": "read:too-few-cells",
  "too many cells": "read:too-many-cells",
  "a quote never closed": "read:quote",
  "bytes of another encoding": "read:encoding",
  "a NUL byte": "read:nul",
} as const;

export type FaultKind = keyof typeof CELL_FAULTS | keyof typeof LINE_FAULTS | "given twice";
export const FAULTS = [...Object.keys(CELL_FAULTS), ...Object.keys(LINE_FAULTS), "given twice"] as FaultKind[];

/** One sound record, as the partner would write it. `number` makes its accession. */
export function soundRow(random: Random, partner: Partner, year: number, month: number, number: number): Row {
  const day = random.whole(1, 28);
  const decimal = (value: number, digits: number): string => {
    const text = value.toFixed(digits);
    return partner.decimalComma ? text.replace(".", ",") : text;
  };
  return {
    accession: `${partner.code}-${year}-${String(number).padStart(6, "0")}`,
    partner: partner.code,
    scientific_name: random.pick(TAXA),
    collector: random.chance(0.04) ? "" : random.pick(COLLECTORS),
    collected_on: partner.date(year, month, day),
    site: random.chance(0.03) ? "" : random.pick(SITES),
    country: random.pick(COUNTRIES),
    latitude: decimal(48 + random.next() * 12, 4),
    longitude: decimal(-8 + random.next() * 12, 4),
    altitude_m: random.chance(0.2) ? "" : String(random.whole(0, 1240)),
    quantity_g: decimal(0.05 + random.next() * 90, 3),
    herbarium_sheet: random.pick(["yes", "no", "Y", "N"]),
    packed_at: `${year}-${two(month)}-${two(Math.min(28, day + 2))}T${two(random.whole(8, 17))}:${two(random.whole(0, 59))}:00Z`,
    remarks: random.pick(REMARKS),
  };
}

/** What people do to values without harm: spaces, case; the plan's steps take it away. */
function dirty(random: Random, row: Row): void {
  if (random.chance(0.03)) row.scientific_name = ` ${row.scientific_name} `;
  if (random.chance(0.03)) row.scientific_name = row.scientific_name.replace(" ", "  ");
  if (random.chance(0.04)) row.country = row.country.toLowerCase();
  if (random.chance(0.02)) row.partner = ` ${row.partner.toLowerCase()}`;
  if (random.chance(0.02)) row.collector = row.collector === "" ? "unknown" : `${row.collector}\u00a0`;
}

function cell(value: string, partner: Partner): string {
  const needs = partner.quoteAll || value.includes(partner.delimiter) || /["\r\n]/.test(value);
  return needs ? `"${value.replaceAll('"', '""')}"` : value;
}

function encode(text: string, partner: Partner): Uint8Array {
  if (!partner.latin) return new TextEncoder().encode(text);
  return Uint8Array.from(text, (c) => c.charCodeAt(0) & 0xff);
}

/**
 * The deliveries of the accessions feed: every partner, month by month, from one seed. About one
 * record in sixteen carries a fault; the truth says which and where. One delivery has so many that
 * it stops at a gate.
 */
export function makeDeliveries(seed = 20261124, months = 6, scale = 1): Delivery[] {
  const random = new Random(seed);
  const deliveries: Delivery[] = [];
  const earlier = new Map<string, Row[]>();
  const numbers = new Map<string, number>();
  for (let m = 0; m < months; m++) {
    const month = 12 - months + m;
    for (const partner of PARTNERS) {
      const stopped = partner.code === "MIB" && m === months - 1;
      const count = Math.max(20, Math.round(random.whole(480, 800) * scale));
      const name = `${partner.code.toLowerCase()}-2026-${two(month)}.${partner.delimiter === "\t" ? "tsv" : "csv"}`;
      const truth: Truth[] = [];
      const parts: Uint8Array[] = [];
      let line = 1;
      const put = (bytes: Uint8Array, lines: number): void => {
        parts.push(bytes, encode(partner.lineEnd, partner));
        line += lines;
      };
      put(encode(partner.columns.map(([, title]) => cell(title, partner)).join(partner.delimiter), partner), 1);
      const known = earlier.get(partner.code) ?? [];
      const sent: Row[] = [];
      const used = new Set<string>();
      for (let i = 0; i < count; i++) {
        let row: Row;
        const again = known.length > 0 && random.chance(0.08) ? random.pick(known) : null;
        if (again && !used.has(again.accession)) {
          // An accession of an earlier month: half are as they were, half have been weighed again.
          row = { ...again };
          if (random.chance(0.5)) row.quantity_g = soundRow(random, partner, 2026, month, 0).quantity_g;
        } else {
          const number = (numbers.get(partner.code) ?? 0) + 1;
          numbers.set(partner.code, number);
          row = soundRow(random, partner, 2026, month, number);
        }
        used.add(row.accession);
        let kind: FaultKind | null = null;
        if (random.chance(stopped ? 0.34 : 0.055)) kind = stopped ? "not a number" : random.pick(FAULTS);
        if (kind === "given twice" && sent.length === 0) kind = null;
        const written = { ...row };
        if (kind === null) {
          sent.push(row);
          known.push(row);
          dirty(random, written);
        }
        const at = line;
        put(...writeRow(written, kind, partner, random, sent));
        if (kind !== null) truth.push({ file: name, line: at, fault: kind, check: checkOf(kind) });
      }
      earlier.set(partner.code, known);
      deliveries.push({
        partner: partner.code,
        sender: partner.sender,
        month: `2026-${two(month)}`,
        name,
        bytes: join(parts),
        records: count,
        truth,
      });
    }
  }
  return deliveries;
}

function checkOf(kind: FaultKind): string {
  if (kind === "given twice") return "accession:unique";
  return kind in CELL_FAULTS
    ? CELL_FAULTS[kind as keyof typeof CELL_FAULTS][0]
    : LINE_FAULTS[kind as keyof typeof LINE_FAULTS];
}

/** The bytes of a record with its fault, and the lines they take. */
function writeRow(
  row: Row,
  kind: FaultKind | null,
  partner: Partner,
  random: Random,
  sent: Row[],
): [Uint8Array, number] {
  let written = row;
  if (kind !== null && kind in CELL_FAULTS) CELL_FAULTS[kind as keyof typeof CELL_FAULTS][1](written, partner);
  if (kind === "given twice") written = { ...random.pick(sent), remarks: "sent a second time" };
  if (kind === "a quote never closed" || kind === "bytes of another encoding" || kind === "a NUL byte")
    written.remarks = "one capsule";
  const cells = partner.columns.map(([field]) => cell(written[field], partner));
  const at = partner.columns.findIndex(([field]) => field === "remarks");
  if (kind === "too few cells") cells.splice(partner.quoteAll ? 0 : cells.length - 2, 2);
  if (kind === "too many cells") cells.push("left", "over");
  if (kind === "a quote never closed") cells[at] = '"one capsule';
  if (kind === "a NUL byte") cells[at] = cells[at]!.replace("one", "o\u0000e");
  const text = cells.join(partner.delimiter);
  let bytes = encode(text, partner);
  if (kind === "bytes of another encoding") {
    const spot = encode(text.slice(0, text.indexOf("one capsule")), partner).length;
    bytes = bytes.slice();
    bytes[spot] = partner.latin ? 0x81 : 0xff;
  }
  return [bytes, text.split(/\r\n|\n|\r/).length];
}

function join(parts: readonly Uint8Array[]): Uint8Array {
  const all = new Uint8Array(parts.reduce((n, p) => n + p.length, 0));
  let at = 0;
  for (const part of parts) {
    all.set(part, at);
    at += part.length;
  }
  return all;
}
