import { gzipSync, strToU8 } from "fflate";
import { Random } from "./random.ts";
import { withoutAccents } from "@/core/kernel/accents.ts";
import { writtenTaxon } from "./taxa.ts";
import { COLLECTORS, TOWNS } from "./words.ts";
import { workbook, type WorkbookCell } from "./workbook.ts";

/** A fault put into a record on purpose: where it stands, and the check that must name it. */
export interface PlantedFault {
  /** Line, row, or number of the record in its file, as the product counts them. */
  readonly line: number;
  readonly check: string;
}

export interface OtherDelivery {
  readonly feed: string;
  readonly sender: string;
  readonly name: string;
  readonly bytes: Uint8Array;
  readonly records: number;
  readonly truth: readonly PlantedFault[];
  /** By record: the number of the person that it is about, the same in all deliveries. */
  readonly same?: readonly number[];
}

const GARDENS = ["BHG", "CWA", "MIB", "QFS", "SMH"] as const;
const SENDERS: Record<string, string> = {
  BHG: "Brindle Hollow Garden",
  CWA: "Coldwell Arboretum",
  MIB: "Marrow Isle Botanic Trust",
  QFS: "Quillfen Field Station",
  SMH: "Saltmere Herbarium",
};
const two = (n: number): string => String(n).padStart(2, "0");
const GATES = [{ limit: "held share", over: 0.2 }, { limit: "nothing read" }, { limit: "required column missing" }];
const head = (feed: string) => ({ format: "good-sieve/plan@1", feed, map: { extra: "note" }, check: [], gates: GATES });

/** A formula that plans use by its name. */
export const IS_BINOMIAL = {
  about: "Whether a name has a genus and a species.",
  parameters: [{ name: "name", type: "text" }],
  body: "name.matches('^[A-Z][a-z]+ [a-z-]+$')",
  examples: [
    { formula: "isBinomial('Silene uniflora')", gives: true },
    { formula: "isBinomial('Silene')", gives: false },
    { formula: "isBinomial('silene uniflora')", gives: false },
  ],
} as const;

/** The feeds beside the accessions, each in a format of its own. */
export const OTHER_FEEDS = [
  {
    name: "germination",
    title: "Germination tests",
    about: "One document for each accession with its tests, as JSON Lines; each test is a record.",
    plan: {
      ...head("germination"),
      read: { as: "json-lines", each: "tests" },
      contract: {
        fields: [
          { name: "accession", type: "text", length: 20, required: true, pattern: "^[A-Z]{3}-\\d{4}-\\d{6}$" },
          { name: "partner", type: "code", values: [...GARDENS], required: true },
          { name: "taxon", type: "text", length: 80, also: ["taxon.name"], required: true },
          { name: "taxon_id", type: "text", length: 8 },
          { name: "accepted_name", type: "text", length: 80 },
          { name: "family", type: "text", length: 40 },
          { name: "stratified_weeks", type: "integer", also: ["treatment.stratified_weeks"], least: 0, most: 60 },
          { name: "media", type: "text", length: 60, also: ["treatment.media"] },
          { name: "test_no", type: "integer", also: ["tests.no"], least: 1, required: true },
          { name: "tested_on", type: "date", also: ["tests.on"], required: true },
          {
            name: "temperature_c",
            type: "decimal",
            precision: 5,
            scale: 1,
            also: ["tests.temperature_c"],
            least: -20,
            most: 60,
          },
          { name: "sown", type: "integer", also: ["tests.sown"], least: 1, required: true },
          { name: "germinated", type: "integer", also: ["tests.germinated"], least: 0, required: true },
        ],
      },
      cleanse: [{ do: "trim", in: "*" }],
      formulas: { isBinomial: IS_BINOMIAL },
      check: [
        { name: "no more germinated than were sown", that: "germinated <= sown", on_failure: "hold" },
        { name: "the name is of genus and species", that: "isBinomial(taxon)", on_failure: "note" },
        { check: "no gaps", field: "test_no", by: ["accession"], first: 1, on_failure: "note" },
      ],
      lookup: [
        {
          how: "scored",
          name: "taxon",
          list: "taxa",
          by: [{ field: "taxon", column: "name", compare: "words" }],
          bring: { taxon_id: "id", accepted_name: "name", family: "family" },
          least: 80,
          lead: 3,
          none: "note",
          several: "note",
        },
      ],
      load: { target: "germination_test", key: ["accession", "test_no"], mode: "upsert" },
    },
  },
  {
    name: "collectors",
    title: "Collectors",
    about: "People who collected seed, as the herbaria's own workbook has them.",
    plan: {
      ...head("collectors"),
      read: { as: "xlsx", sheets: ["Collectors"] },
      contract: {
        fields: [
          {
            name: "person_no",
            type: "text",
            length: 8,
            title: "Person no",
            required: true,
            pattern: "^[A-Z]{3}-\\d{4}$",
          },
          { name: "full_name", type: "text", length: 80, title: "Full name", required: true },
          { name: "garden", type: "code", values: [...GARDENS], title: "Garden" },
          { name: "born_on", type: "date", title: "Born on", least: "1900-01-01", most: "2015-12-31" },
          { name: "town", type: "text", length: 60, title: "Town" },
          { name: "e_mail", type: "text", length: 80, title: "E-mail" },
          { name: "first_year", type: "integer", title: "First year", least: 1920, most: 2026 },
          { name: "sheets", type: "integer", title: "Sheets", least: 0 },
          { name: "note", type: "text", length: 120, title: "Note" },
        ],
      },
      cleanse: [
        { do: "trim", in: "*" },
        { do: "collapse", in: ["full_name"] },
      ],
      match: {
        against: ["delivery", "target"],
        fields: [
          { in: ["full_name"], by: "person" },
          { in: ["born_on"], by: "date" },
          { in: ["town"], by: "words", as: "place" },
          { in: ["e_mail"], by: "edit" },
          { in: ["first_year"], by: "number", within: 2 },
        ],
        limits: { same: 92, ask: 45 },
        keep: { "*": "complete", full_name: "longest", sheets: "greatest" },
      },
      load: { target: "collector", key: ["person_no"], mode: "upsert" },
    },
  },
  {
    name: "transfers",
    title: "Transfers",
    about: "Seed moved between the gardens, as XML; each lot of a transfer is a record.",
    plan: {
      ...head("transfers"),
      read: { as: "xml", records: "/transfers/transfer", each: "lot" },
      contract: {
        fields: [
          { name: "transfer", type: "text", length: 12, also: ["@id"], required: true },
          { name: "from_partner", type: "code", values: [...GARDENS], also: ["from"], required: true },
          { name: "to_partner", type: "code", values: [...GARDENS], also: ["to"], required: true },
          { name: "sent_on", type: "date", also: ["@sent"], required: true, most: "2026-12-31" },
          { name: "total_g", type: "decimal", precision: 9, scale: 3, also: ["@total_g"], least: 0 },
          { name: "lot_no", type: "integer", also: ["lot.@no"], required: true, least: 1 },
          {
            name: "accession",
            type: "text",
            length: 20,
            also: ["lot.accession"],
            required: true,
            pattern: "^[A-Z]{3}-\\d{4}-\\d{6}$",
          },
          {
            name: "weight_g",
            type: "decimal",
            precision: 9,
            scale: 3,
            also: ["lot.weight_g"],
            required: true,
            least: "0.001",
          },
        ],
      },
      cleanse: [{ do: "trim", in: "*" }],
      check: [
        { check: "parts sum", parts: "weight_g", whole: "total_g", by: ["transfer"], on_failure: "note" },
        { check: "no gaps", field: "lot_no", by: ["transfer"], first: 1, on_failure: "note" },
      ],
      load: {
        target: "transfer_lot",
        key: ["transfer", "lot_no"],
        mode: "append",
        // What each transfer came to, and since when.
        further: [
          {
            target: "transfer_history",
            rows: "key",
            mode: "history",
            fields: [
              { name: "transfer" },
              { name: "from_partner" },
              { name: "to_partner" },
              { name: "lots", takes: "count" },
              { name: "weight_g", takes: "sum" },
            ],
            key: ["transfer"],
          },
        ],
      },
    },
  },
] as const;

/** The plan of the feed that a query on a database fills. */
export const HUMIDITY = {
  ...head("humidity"),
  read: { as: "json-lines" },
  contract: {
    fields: [
      { name: "id", type: "integer", required: true },
      { name: "site", type: "text", length: 40, required: true },
      { name: "read_at", type: "timestamp", required: true },
      { name: "humidity", type: "decimal", precision: 5, scale: 2, least: 0, most: 100 },
    ],
  },
  cleanse: [],
  load: { target: "humidity", key: ["id"], mode: "append" },
};

/** Deliveries of the other feeds with known faults, the same from the same seed. */
export function makeOtherDeliveries(seed = 20260401): OtherDelivery[] {
  const random = new Random(seed);
  return [
    ...["2026-08", "2026-09", "2026-10"].map((month) => germination(random, month)),
    ...collectors(random),
    ...["2026-09", "2026-10"].map((month) => transfers(random, month)),
  ];
}

function germination(random: Random, month: string): OtherDelivery {
  const lines: string[] = [];
  const truth: PlantedFault[] = [];
  let records = 0;
  const partner = random.pick(GARDENS);
  for (let i = 0; i < 260; i++) {
    const line = i + 1;
    const { written } = writtenTaxon(random);
    const sown = random.pick([20, 25, 50, 100]);
    const document: Record<string, unknown> = {
      accession: `${partner}-2026-${String(Number(month.slice(5)) * 1000 + i).padStart(6, "0")}`,
      partner,
      taxon: { name: written, rank: "species" },
      treatment: {
        stratified_weeks: random.pick([0, 4, 8, 12]),
        media: random.chance(0.3) ? ["sand", "agar"] : ["agar"],
      },
    };
    const tests = Array.from({ length: random.whole(1, 4) }, (_, t) => ({
      no: t + 1,
      on: `${month}-${two(random.whole(1, 28))}`,
      temperature_c: random.pick([5, 10, 15.5, 20, 22.5]),
      sown,
      germinated: random.whole(0, sown) as number | string,
    }));
    const last = tests.at(-1)!;
    const fault = random.next();
    let check = "";
    if (fault < 0.02) {
      last.germinated = -random.whole(1, 9);
      check = "germinated:least";
    } else if (fault < 0.035) {
      last.germinated = "about half";
      check = "germinated:type";
    } else if (fault < 0.05) {
      last.on = `${month.slice(0, 4)}-02-30`;
      check = "tested_on:type";
    } else if (fault < 0.06) {
      delete document["taxon"];
      check = "taxon:required";
    } else if (fault < 0.07) {
      document["partner"] = "XXX";
      check = "partner:type";
    }
    document["tests"] = tests;
    const whole = JSON.stringify(document);
    if (fault > 0.985) {
      lines.push(whole.slice(0, -random.whole(2, 30)));
      truth.push({ line, check: "read:not-json" });
      records++;
      continue;
    }
    lines.push(whole);
    records += tests.length;
    if (check !== "") truth.push({ line, check });
  }
  return {
    feed: "germination",
    sender: SENDERS[partner]!,
    name: `germination-${partner.toLowerCase()}-${month}.jsonl.gz`,
    bytes: gzipSync(strToU8(`${lines.join("\n")}\n`), { mtime: new Date("2026-01-01T00:00:00") }),
    records,
    truth,
  };
}

/** A collector as the vault knows them; only tests are told which rows are one person. */
interface Collector {
  readonly name: string;
  readonly born: string;
  readonly town: string;
  readonly mail: string;
  readonly firstYear: number;
}

function makeCollectors(random: Random): Collector[] {
  return COLLECTORS.slice(0, 260).map((name) => {
    const [given = "", family = ""] = name.split(" ");
    const plain = (text: string): string =>
      withoutAccents(text)
        .toLowerCase()
        .replace(/[^a-z]/g, "");
    const born = random.whole(1931, 1999);
    return {
      name,
      born: `${born}-${two(random.whole(1, 12))}-${two(random.whole(1, 28))}`,
      town: random.pick(TOWNS),
      mail: `${plain(given)}.${plain(family)}@${random.pick(["ashmere", "fenpost", "moorland"])}.example`,
      firstYear: Math.min(2024, born + random.whole(19, 45)),
    };
  });
}

/** Another garden's row about a person: the name in another way, and now and then a slip. */
function spelled(random: Random, { name }: Collector): string {
  const [given = "", family = ""] = name.split(" ");
  const i = random.whole(1, Math.max(1, family.length - 2));
  return random.pick([
    name,
    `${family}, ${given}`,
    `${given[0]}. ${family}`,
    name.toUpperCase(),
    `Dr ${given} ${family}`,
    `${given} ${family.slice(0, i)}${family[i + 1] ?? ""}${family[i] ?? ""}${family.slice(i + 2)}`,
    `${given} ${family.replace(/(.)\1/, "$1")}`,
    `${given.slice(0, Math.max(3, given.length - 2))} ${family}`,
  ]);
}

const COLUMNS = ["Person no", "Full name", "Garden", "Born on", "Town", "E-mail", "First year", "Sheets", "Note"];

/**
 * The collectors as three gardens keep them, one delivery each: a person that a garden has twice, or
 * that another had before, is written in another way.
 */
function collectors(random: Random): OtherDelivery[] {
  const people = makeCollectors(random);
  const known = new Set<number>();
  return (["SMH", "QFS", "BHG"] as const).map((garden, turn) => {
    const rows: WorkbookCell[][] = [
      ["Collectors of the Ashmere gardens"],
      ["Kept by the herbaria; one row a person"],
      [],
      COLUMNS,
    ];
    const truth: PlantedFault[] = [];
    const same: number[] = [];
    const list = people.flatMap((_, i) => (random.chance([0.62, 0.4, 0.3][turn]!) ? [i] : []));
    // Some stand twice in one garden's list.
    for (const i of [...list]) if (random.chance(0.08)) list.splice(random.whole(0, list.length), 0, i);
    list.forEach((who, n) => {
      const person = people[who]!;
      const first = !known.has(who);
      known.add(who);
      const [year, month, day] = person.born.split("-");
      const slip = first ? 1 : random.next();
      const born = slip < 0.1 && Number(day) <= 12 ? `${year}-${day}-${month}` : person.born;
      const cells: WorkbookCell[] = [
        `${garden}-${String(n + 1).padStart(4, "0")}`,
        first ? person.name : spelled(random, person),
        garden,
        random.chance(first ? 0.9 : 0.7) ? { day: born } : null,
        slip < 0.2 ? person.town.replace(/.$/, "") : person.town,
        random.chance(0.55) ? person.mail : null,
        person.firstYear + (slip < 0.3 ? 1 : 0),
        random.whole(0, 900),
        random.chance(0.2) ? "field notes kept in the station's library" : null,
      ];
      const fault = random.next();
      const plant = (column: number, value: WorkbookCell, check: string): void => {
        cells[column] = value;
        truth.push({ line: rows.length + 1, check });
      };
      if (fault < 0.03) plant(7, { error: "#N/A" }, "read:cell-error");
      else if (fault < 0.05) plant(2, "Ashmere", "garden:type");
      else if (fault < 0.07) plant(1, null, "full_name:required");
      else if (fault < 0.09) plant(6, 1790, "first_year:least");
      else if (fault < 0.11) plant(7, "many", "sheets:type");
      rows.push(cells);
      same.push(who);
    });
    return {
      feed: "collectors",
      sender: SENDERS[garden]!,
      name: `collectors-${garden.toLowerCase()}-2026.xlsx`,
      bytes: workbook([
        { name: "Read me", rows: [] },
        { name: "Collectors", rows },
        { name: "Gardens", rows: [["Code", "Name"], ...GARDENS.map((g) => [g, SENDERS[g]!])] },
      ]),
      records: same.length,
      truth,
      same,
    };
  });
}

function transfers(random: Random, month: string): OtherDelivery {
  const out = [`<?xml version="1.0" encoding="UTF-8"?>`, `<transfers month="${month}">`];
  const truth: PlantedFault[] = [];
  let records = 0;
  for (let i = 0; i < 120; i++) {
    const from = random.pick(GARDENS);
    let to: string = random.pick(GARDENS.filter((g) => g !== from));
    const lots = Array.from({ length: random.whole(1, 4) }, () => ({
      accession: `${from}-2026-${String(random.whole(1, 9999)).padStart(6, "0")}`,
      weight: (random.whole(500, 60_000) / 1000).toFixed(3),
    }));
    const total = lots.reduce((n, l) => n + Math.round(Number(l.weight) * 1000), 0) / 1000;
    const line = out.length + 1;
    const fault = random.next();
    if (fault < 0.03) {
      to = "ZZZ";
      truth.push({ line, check: "to_partner:type" });
    } else if (fault < 0.06) {
      lots[0]!.weight = lots[0]!.weight.replace(".", ",");
      truth.push({ line, check: "weight_g:type" });
    } else if (fault < 0.08) {
      lots[0]!.accession = "";
      truth.push({ line, check: "accession:required" });
    }
    records += lots.length;
    out.push(
      `  <transfer id="T${month.replace("-", "")}-${String(i + 1).padStart(3, "0")}" sent="${month}-${two(random.whole(1, 28))}" total_g="${total.toFixed(3)}">`,
    );
    out.push(`    <from>${from}</from><to>${to}</to>`);
    lots.forEach((l, k) => {
      out.push(`    <lot no="${k + 1}"><accession>${l.accession}</accession><weight_g>${l.weight}</weight_g></lot>`);
    });
    out.push("  </transfer>");
  }
  out.push("</transfers>", "");
  return {
    feed: "transfers",
    sender: SENDERS["CWA"]!,
    name: `transfers-${month}.xml`,
    bytes: strToU8(out.join("\n")),
    records,
    truth,
  };
}
