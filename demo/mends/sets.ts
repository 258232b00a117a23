import iconv from "iconv-lite";
import { parsePlan } from "@/core/plan/schema.ts";
import type { Plan } from "@/core/plan/document.ts";
import { Random } from "../random.ts";
import { ACCESSIONS } from "../plan.ts";
import { PARTNERS, soundRow } from "../generate.ts";

/** Records as a sender writes them, by field; what is empty is "". */
export type Sent = Record<string, string>;

/** What a fault does to a sound record, and of which field; `mendable`: whether what was meant can be told from the record. */
export interface Fault {
  readonly name: string;
  readonly mendable: boolean;
  /** Gives the record with the fault, or null where this one can't have it. */
  plant(row: Sent, random: Random): Sent | null;
}

/** Records of one kind, with the faults that their senders make. */
export interface MendSet {
  readonly name: string;
  readonly plan: Plan;
  sound(random: Random, n: number): Sent;
  readonly faults: readonly Fault[];
}

const two = (n: number): string => String(n).padStart(2, "0");
const day = (random: Random): [number, number, number] => [
  random.whole(1950, 2025),
  random.whole(1, 12),
  random.whole(1, 28),
];

/** One letter of a text is lost, doubled, another, or changes its place with the next. */
function slipped(text: string, random: Random): string {
  const letters = [...text];
  const at = random.whole(1, letters.length - 2);
  switch (random.whole(0, 3)) {
    case 0:
      letters.splice(at, 1);
      break;
    case 1:
      letters.splice(at, 0, letters[at]!);
      break;
    case 2:
      letters[at] = random.pick([..."aeinorst"]);
      break;
    default:
      [letters[at], letters[at + 1]] = [letters[at + 1]!, letters[at]!];
  }
  return letters.join("");
}

/** The text as it looks when its bytes in UTF-8 are taken for those of windows-1252; "" where one of them is no character there. */
function garbled(text: string): string {
  const read = iconv.decode(Buffer.from(text), "windows-1252");
  return read.includes("\ufffd") ? "" : read;
}

const without = (text: string): string => text.normalize("NFD").replace(/\p{M}/gu, "");
const set = (row: Sent, field: string, value: string): Sent | null =>
  value === row[field] || value === "" ? null : { ...row, [field]: value };

/** A fault of one field, by what its value becomes. */
function fault(
  name: string,
  field: string,
  become: (value: string, random: Random, row: Sent) => string,
  mendable = true,
): Fault {
  return {
    name: `${field}: ${name}`,
    mendable,
    plant: (row, random) => (row[field] ? set(row, field, become(row[field], random, row)) : null),
  };
}

const hopeless = (name: string, field: string, become: (value: string, random: Random) => string): Fault =>
  fault(name, field, become, false);

/** What people do to a word of a list: case and marks, a slip, another encoding; and a word that is none of the list. */
const ofCodes = (field: string, others: readonly string[]): Fault[] => [
  fault("other case", field, (v, r) => (r.chance(0.5) ? v.toUpperCase() : v.toLowerCase())),
  fault("marks lost", field, without),
  fault("a slip", field, (v, r) => (v.length < 7 ? "" : slipped(v, r))),
  fault("read in another encoding", field, (v) => (without(v) === v ? "" : garbled(v))),
  hopeless("a word that is none of them", field, (_, r) => r.pick(others)),
];

/** What people put around a number. `unit`: that of the field; `other`: one of which it has so many. */
const ofNumbers = (field: string, unit: string, other: { unit: string; has: number } | null): Fault[] => [
  fault("its unit behind it", field, (v) => `${v} ${unit}`),
  fault("about", field, (v, r) => `${r.pick(["ca. ", "about ", "approx. "])}${v}`),
  fault("a note behind it", field, (v, r) => `${v} ${r.pick(["(checked)", "est.", "(new scale)"])}`),
  ...(other
    ? [
        fault("in another unit", field, (v) =>
          Number(v) === 0 ? "" : `${String(Number((Number(v) / other.has).toPrecision(12)))} ${other.unit}`,
        ),
      ]
    : []),
  hopeless("from and to", field, (v) => `${v}-${Number(v) + 5}`),
  hopeless("less than", field, (v) => `< ${v}`),
  hopeless("two numbers", field, (v) => `${v} / ${Number(v) + 1}`),
  hopeless("a word", field, (_, r) => r.pick(["many", "n.b.", "see notes"])),
];

const MONTHS = ["January", "February", "March", "April", "May", "June"].concat([
  "July",
  "August",
  "September",
  "October",
  "November",
  "December",
]);

/** Days in another form than the field's; `parts` takes a day of the field apart. */
const ofDays = (field: string, parts: (value: string) => [number, number, number]): Fault[] => {
  const as = (name: string, form: (y: number, m: number, d: number) => string): Fault =>
    fault(name, field, (v) => form(...parts(v)));
  const serial = (y: number, m: number, d: number): string => String(Date.UTC(y, m - 1, d) / 86_400_000 + 25_569);
  return [
    as("its month in letters", (y, m, d) => `${d} ${MONTHS[m - 1]} ${y}`),
    as("year first", (y, m, d) => `${y}/${two(m)}/${two(d)}`),
    as("with a time", (y, m, d) => `${y}-${two(m)}-${two(d)} 00:00:00`),
    as("the number of a workbook", serial),
    hopeless("a season", field, (_, r) => r.pick(["spring 1987", "early May", "2019", "unknown day"])),
    hopeless("a day that there is not", field, (v) => v.replace(/\d\d(?=\D*$)|^\d\d(?=\D)/, "39")),
  ];
};

/** All values of a field in one order of day and month, which is not the field's. */
const inOrder = (field: string, parts: (v: string) => [number, number, number], order: "day" | "month"): Fault =>
  fault(`${order} first, with strokes`, field, (v) => {
    const [y, m, d] = parts(v);
    return order === "day" ? `${two(d)}/${two(m)}/${y}` : `${two(m)}/${two(d)}/${y}`;
  });

const ofPatterns = (field: string): Fault[] => [
  fault("small letters", field, (v) => v.toLowerCase()),
  fault("spaces for hyphens", field, (v) => v.replaceAll("-", " ")),
  fault("strokes for hyphens", field, (v) => v.replaceAll("-", "/")),
  fault("letters for digits", field, (v) => v.replace(/0(?=\d)/, "O").replace(/1(?=\d)/, "l")),
  hopeless("cut short", field, (v) => v.slice(0, -2)),
  hopeless("none at all", field, (_, r) => r.pick(["pending", "to follow", "--"])),
];

const swapped = (a: string, b: string): Fault => ({
  name: `${a} and ${b} exchanged`,
  mendable: true,
  plant: (row) => (row[a] && row[b] ? { ...row, [a]: row[b], [b]: row[a] } : null),
});

const ofWords = (field: string, yes: readonly string[], no: readonly string[], isYes: string): Fault[] => [
  fault("other words", field, (v, r) => r.pick(v[0]!.toLowerCase() === isYes[0] ? yes : no)),
  hopeless("neither", field, (_, r) => r.pick(["perhaps", "2", "see below"])),
];

const plan = (feed: string, fields: object[], cleanse: object[] = [{ do: "trim", in: "*" }]): Plan =>
  parsePlan({
    format: "good-sieve/plan@1",
    feed,
    contract: { fields },
    cleanse,
    load: { target: feed },
    gates: [],
  });

const iso = (v: string): [number, number, number] => v.split("-").map(Number) as [number, number, number];
const german = (v: string): [number, number, number] => v.split(".").map(Number).reverse() as [number, number, number];
const american = (v: string): [number, number, number] => {
  const [m, d, y] = v.split("/").map(Number) as [number, number, number];
  return [y, m, d];
};

const garden = PARTNERS[0]!;
const accessions: MendSet = {
  name: "accessions",
  plan: parsePlan(ACCESSIONS),
  sound: (random, n) => soundRow(random, garden, 2026, random.whole(1, 12), n),
  faults: [
    ...ofPatterns("accession"),
    ...ofNumbers("altitude_m", "m", { unit: "km", has: 1000 }),
    ...ofNumbers("quantity_g", "g", { unit: "kg", has: 1000 }),
    ...ofDays("collected_on", iso).filter((f) => !f.name.includes("month in letters")),
    ...ofWords("herbarium_sheet", ["ja", "x", "true"], ["nein", "false", "0"], "yes"),
    hopeless("a land that is none", "country", () => "ZZ"),
    hopeless("no such time", "packed_at", (v) => v.replace(/T\d\d/, "T27")),
    hopeless("off the globe", "latitude", () => "123.4000"),
    swapped("partner", "country"),
    swapped("collected_on", "quantity_g"),
  ],
};

const LANDS =
  "Österreich,Schweiz,Dänemark,Niederlande,Belgien,Rumänien,Türkei,Ungarn,Italien,Spanien,Südafrika,Ägypten,Norwegen,Schweden".split(
    ",",
  );
const people: MendSet = {
  name: "people, in German",
  plan: plan("people", [
    { name: "number", type: "text", pattern: "^M-\\d{5}$", required: true },
    { name: "name", type: "text", length: 60, required: true },
    { name: "born", type: "date", formats: ["dd.MM.yyyy"], most: "2026-01-01" },
    { name: "postcode", type: "text", pattern: "^\\d{5}$" },
    { name: "land", type: "code", values: LANDS },
    { name: "height_cm", title: "Height (cm)", type: "integer", least: 40, most: 230 },
    { name: "member", type: "boolean", words: { yes: ["ja"], no: ["nein"] } },
  ]),
  sound: (random, n) => {
    const [y, m, d] = day(random);
    return {
      number: `M-${String(10_000 + n)}`,
      name: random.pick(["Anna Brenner", "Jörg Halm", "Mia Voß", "Peter Lind"]),
      born: `${two(d)}.${two(m)}.${y}`,
      postcode: `${random.chance(0.3) ? "0" : ""}${random.whole(10_000, 99_999)}`.slice(0, 5),
      land: random.pick(LANDS),
      height_cm: String(random.whole(100, 205)),
      member: random.pick(["ja", "nein"]),
    };
  },
  faults: [
    ...ofPatterns("number"),
    fault("zeros in front lost", "postcode", (v) => (v.startsWith("0") ? v.replace(/^0+/, "") : "")),
    hopeless("cut short", "postcode", (v) => v.slice(0, 3)),
    ...ofCodes("land", ["Atlantis", "Mordland", "Übersee", "unbekannt"]),
    ...ofNumbers("height_cm", "cm", { unit: "m", has: 100 }),
    ...ofDays("born", german),
    inOrder("born", german, "day"),
    ...ofWords("member", ["yes", "j", "x", "1"], ["no", "n", "0", "false"], "ja"),
    swapped("born", "postcode"),
    swapped("land", "member"),
  ],
};

const PRODUCTS =
  "garden hose,watering can,wheelbarrow,pruning shears,potting soil,hand trowel,seed tray,plant labels,frost fleece,bamboo canes".split(
    ",",
  );
const orders: MendSet = {
  name: "orders, in American",
  plan: plan("orders", [
    { name: "order_no", type: "text", pattern: "^SO-\\d{4}-\\d{4}$", required: true },
    { name: "ordered", type: "date", formats: ["MM/dd/yyyy"] },
    { name: "product", type: "code", values: PRODUCTS },
    { name: "pieces", type: "integer", least: 1, most: 500 },
    { name: "weight", title: "Weight in lb", type: "decimal", precision: 8, scale: 2 },
    { name: "price", type: "decimal", precision: 9, scale: 2, least: 0 },
    { name: "express", type: "boolean" },
  ]),
  sound: (random, n) => {
    const [y, m, d] = day(random);
    return {
      order_no: `SO-${y}-${String(1000 + (n % 9000))}`,
      ordered: `${two(m)}/${two(d)}/${y}`,
      product: random.pick(PRODUCTS),
      pieces: String(random.whole(1, 400)),
      weight: (random.next() * 300).toFixed(2),
      price: (1 + random.next() * 900).toFixed(2),
      express: random.pick(["true", "false"]),
    };
  },
  faults: [
    ...ofPatterns("order_no"),
    ...ofCodes("product", ["lawn mower", "garden gnome", "bird bath", "compost bin"]),
    ...ofNumbers("pieces", "pcs", null),
    ...ofNumbers("weight", "lb", { unit: "oz", has: 1 / 16 }).filter((f) => !f.name.includes("another unit")),
    ...ofDays("ordered", american),
    fault("with a currency", "price", (v) => `$${v}`),
    fault("with a currency behind it", "price", (v) => `${v} USD`),
    hopeless("on request", "price", () => "on request"),
    ...ofWords("express", ["yes", "Y", "x"], ["no", "N", "-"], "true"),
    swapped("ordered", "product"),
    swapped("pieces", "product"),
  ],
};

const STATIONS =
  "Étang-Long,Pré-aux-Clercs,Forêt-Noire,Côte-Sauvage,Vallée-Verte,Col-du-Géant,Île-aux-Oiseaux,Crête-Haute".split(",");
const readings: MendSet = {
  name: "readings, in French",
  plan: plan("releves", [
    { name: "station", type: "code", values: STATIONS, required: true },
    { name: "releve_le", type: "date", formats: ["dd/MM/yyyy"], required: true },
    { name: "pluie_mm", title: "Pluie (mm)", type: "decimal", precision: 7, scale: 1, least: 0, most: 900 },
    { name: "neige_cm", title: "Neige (cm)", type: "integer", least: 0, most: 600 },
    { name: "capteur", type: "text", pattern: "^[A-Z]{2}\\d{3}$" },
    { name: "valide", type: "boolean", words: { yes: ["oui"], no: ["non"] } },
  ]),
  sound: (random) => {
    const [y, m, d] = day(random);
    return {
      station: random.pick(STATIONS),
      releve_le: `${two(d)}/${two(m)}/${y}`,
      pluie_mm: (random.next() * 200).toFixed(1),
      neige_cm: String(random.whole(0, 250)),
      capteur: `${random.pick(["AX", "BR", "LO"])}${random.whole(100, 999)}`,
      valide: random.pick(["oui", "non"]),
    };
  },
  faults: [
    ...ofCodes("station", ["Lac-Perdu", "Plaine-Basse", "Mont-Rond"]),
    ...ofNumbers("pluie_mm", "mm", { unit: "cm", has: 10 }),
    ...ofNumbers("neige_cm", "cm", { unit: "m", has: 100 }),
    fault("a comma", "pluie_mm", (v) => v.replace(".", ",")),
    ...ofDays("releve_le", (v) => v.split("/").map(Number).reverse() as [number, number, number]),
    fault("small letters", "capteur", (v) => v.toLowerCase()),
    fault("a space between", "capteur", (v) => `${v.slice(0, 2)} ${v.slice(2)}`),
    hopeless("another sensor", "capteur", () => "portable"),
    ...ofWords("valide", ["o", "yes", "1"], ["n", "no", "0"], "oui"),
    swapped("station", "capteur"),
    swapped("releve_le", "pluie_mm"),
  ],
};

const invoices: MendSet = {
  name: "invoices, of a sender whose days are month first",
  plan: plan("invoices", [
    { name: "invoice", type: "text", pattern: "^\\d{4}-\\d{5}$", required: true },
    { name: "issued", type: "date", formats: ["yyyy-MM-dd"], required: true },
    { name: "due", type: "date", formats: ["yyyy-MM-dd"] },
    { name: "amount", type: "decimal", precision: 10, scale: 2 },
    { name: "paid", type: "boolean" },
  ]),
  sound: (random, n) => {
    const [y, m, d] = day(random);
    return {
      invoice: `${y}-${String(10_000 + (n % 90_000))}`,
      issued: `${y}-${two(m)}-${two(d)}`,
      due: `${y}-${two(m)}-28`,
      amount: (random.next() * 9000).toFixed(2),
      paid: random.pick(["true", "false"]),
    };
  },
  faults: [
    ...ofPatterns("invoice").filter((f) => !f.name.includes("small")),
    inOrder("issued", iso, "month"),
    inOrder("due", iso, "day"),
    fault("points between thousands, a comma", "amount", (v) =>
      Number(v) < 1000 ? v.replace(".", ",") : `${v[0]}.${v.slice(1).replace(".", ",")}`,
    ),
    hopeless("a season", "issued", () => "spring 1987"),
    hopeless("credit", "amount", (v) => `${v} cr / ${v} db`),
    ...ofWords("paid", ["yes", "1", "x"], ["no", "0"], "true"),
  ],
};

/** The sets on which mends were thought of, and those by which they are judged. */
export const MEND_SETS: { readonly made: readonly MendSet[]; readonly judged: readonly MendSet[] } = {
  made: [accessions, people],
  judged: [orders, readings, invoices],
};
