import { COUNTRIES } from "./words.ts";

/** The plan of the accessions feed, as a steward would have written it. */
export const ACCESSIONS = {
  format: "good-sieve/plan@1",
  feed: "accessions",
  read: { as: "delimited", delimiter: "auto", quote: '"', header: true, skip: 0, encoding: "auto" },
  map: { extra: "note" },
  contract: {
    fields: [
      {
        name: "accession",
        type: "text",
        length: 20,
        title: "Accession",
        also: ["Accession No", "accession_number", "ACC NO"],
        required: true,
        pattern: "^[A-Z]{3}-\\d{4}-\\d{6}$",
      },
      {
        name: "partner",
        type: "code",
        values: ["BHG", "CWA", "MIB", "QFS", "SMH"],
        title: "Partner",
        also: ["garden"],
        required: true,
      },
      { name: "scientific_name", type: "text", length: 80, title: "Scientific name", also: ["taxon"], required: true },
      { name: "collector", type: "text", length: 60, title: "Collector", also: ["collected_by"] },
      {
        name: "collected_on",
        type: "date",
        formats: ["yyyy-MM-dd", "dd.MM.yyyy", "dd/MM/yyyy", "d MMM yyyy"],
        title: "Collected on",
        also: ["date_collected", "COLLECTED"],
        required: true,
        least: "1900-01-01",
        most: "2026-12-31",
      },
      {
        name: "site",
        type: "text",
        length: 60,
        title: "Site",
        also: ["locality"],
        required: true,
        on_failure: { required: "note" },
      },
      { name: "country", type: "code", values: COUNTRIES, title: "Country", also: ["country_code"], required: true },
      {
        name: "latitude",
        type: "decimal",
        precision: 7,
        scale: 4,
        title: "Latitude",
        also: ["lat"],
        least: -90,
        most: 90,
      },
      {
        name: "longitude",
        type: "decimal",
        precision: 7,
        scale: 4,
        title: "Longitude",
        also: ["lon"],
        least: -180,
        most: 180,
      },
      {
        name: "altitude_m",
        type: "integer",
        title: "Altitude (m)",
        also: ["elevation", "altitude"],
        least: -430,
        most: 8850,
      },
      {
        name: "quantity_g",
        type: "decimal",
        precision: 9,
        scale: 3,
        title: "Seeds (g)",
        also: ["seed_weight_g", "Quantity (g)"],
        required: true,
        least: "0.001",
      },
      {
        name: "herbarium_sheet",
        type: "boolean",
        words: { yes: ["yes", "y"], no: ["no", "n"] },
        title: "Herbarium sheet",
        also: ["sheet"],
      },
      { name: "packed_at", type: "timestamp", title: "Packed at", also: ["packed"] },
      { name: "remarks", type: "text", length: 200, title: "Remarks", also: ["notes"] },
    ],
  },
  cleanse: [
    { do: "trim", in: "*" },
    { do: "collapse", in: ["scientific_name", "collector", "site"] },
    { do: "empty-words", in: "*", words: ["?", "n/a", "unknown"] },
    { do: "case", in: ["accession", "partner", "country"], to: "upper" },
    { do: "case", in: ["scientific_name"], to: "sentence" },
    { do: "replace", in: ["latitude", "longitude", "quantity_g"], find: ",", with: "." },
  ],
  check: [],
  load: { target: "accession", key: ["accession"], mode: "upsert" },
  gates: [{ limit: "held share", over: 0.2 }, { limit: "nothing read" }, { limit: "required column missing" }],
};

/** The accessions plan as it was before it was talked over with the gardens. */
export function firstDraft() {
  const fields = ACCESSIONS.contract.fields.flatMap((f): object[] => {
    if (f.name === "packed_at") return [];
    if (f.name === "site") return [{ ...f, on_failure: { required: "hold" } }];
    return f.name === "altitude_m" ? [{ ...f, least: 0 }] : [f];
  });
  const [trim, , words, ...others] = ACCESSIONS.cleanse;
  return { ...ACCESSIONS, contract: { fields }, cleanse: [trim, { ...words, words: ["?"] }, ...others] };
}

/** What the accessions' loads have done when they have ended: a program is told, others get files, and the catalogue its records. */
export const AFTER_ACCESSIONS = [
  { do: "call", url: "http://127.0.0.1:4312/", on: ["loaded", "loaded with held", "stopped", "failed"] },
  { do: "file", folder: "accessions", format: "parquet", partition: "partner,collected_on:month" },
  {
    do: "put",
    url: "http://127.0.0.1:4313/ashmere/accessions",
    connection: "storage",
    as: "object storage",
    format: "avro",
    partition: "partner",
  },
  { do: "feed", feed: "catalogue" },
  {
    do: "notice",
    on: ["loaded with held", "stopped"],
    text: "{sender}: {held} of {read} records were held, the visitors' desk waits for them",
  },
];

/** Tables that the accessions' loads write beside their own: one row for each collector, and what was found high up. */
export const FURTHER_ACCESSIONS = [
  {
    target: "accession_collector",
    turn: "before",
    rows: "key",
    fields: [
      { name: "collector" },
      { name: "accessions", takes: "count" },
      { name: "seeds_g", of: "quantity_g", takes: "sum" },
      { name: "first_on", of: "collected_on", takes: "least" },
      { name: "last_on", of: "collected_on", takes: "most" },
    ],
    numbered: "collector_no",
    key: ["collector"],
    mode: "upsert",
  },
  {
    target: "upland_accession",
    where: "altitude_m >= 1000",
    fields: [
      { name: "accession" },
      { name: "scientific_name" },
      { name: "country" },
      { name: "altitude_m" },
      { name: "collector_no", handed: { target: "accession_collector", column: "collector_no" } },
    ],
    key: ["accession"],
    mode: "upsert",
  },
];

/** The plan of a feed that gets its records from another one. */
export const CATALOGUE = {
  format: "good-sieve/plan@1",
  feed: "catalogue",
  read: ACCESSIONS.read,
  map: { extra: "leave" },
  parameters: [
    { name: "only_country", type: "text", default: "", about: "only accessions of this country, by its code" },
  ],
  contract: {
    fields: ACCESSIONS.contract.fields.filter((f) => ["accession", "scientific_name", "country"].includes(f.name)),
  },
  cleanse: [{ do: "leave-out", in: ["country"], when: 'only_country() != "" && country != only_country()' }],
  check: [],
  load: { target: "catalogue", key: ["accession"], mode: "upsert" },
  gates: [{ limit: "nothing read" }],
};
