import { describe, expect, it } from "vitest";
import { giveContract, takeContract, type ContractStandard } from "@/core/interop/contract.ts";
import { columnTakes, contractOfTable, type TableColumn } from "@/core/interop/table.ts";
import { planOf } from "../support/plans.ts";

/** Contracts from one end to the other: each type with all that can be said of it, in each standard, line by line. */

const FIELDS = [
  { name: "id", title: "Number", also: ["No"], type: "integer", required: true, unique: true, least: 1, most: 99 },
  { name: "kg", type: "decimal", precision: 9, scale: 3, least: -1.5, on_failure: "note" },
  { name: "kg0", type: "decimal", precision: 9, scale: 0 },
  { name: "ok", type: "boolean", words: { yes: ["ja", "j"], no: ["nein"] } },
  { name: "ok_one", type: "boolean", words: { yes: ["y"], no: ["n"] } },
  { name: "day", type: "date", formats: ["dd.MM.yyyy", "yyyy-MM-dd"], least: "2000-01-01" },
  { name: "day_one", type: "date", formats: ["d MMM yyyy"] },
  { name: "at", type: "time", formats: ["HH:mm"], most: "12:00" },
  { name: "made", type: "timestamp" },
  { name: "mark", type: "uuid", required: true },
  { name: "raw", type: "json" },
  { name: "paid", type: "money", currency: "EUR", decimal: ",", least: 0 },
  { name: "price", type: "money" },
  { name: "words", type: "list", of: "text", by: "," },
  { name: "counts", type: "list", of: "integer" },
  { name: "weights", type: "list", of: "decimal" },
  { name: "days", type: "list", of: "date" },
  { name: "kind", type: "code", values: ["a.b", "c"] },
  { name: "sort", type: "code", values: ["x"], required: true },
  { name: "text", type: "text", length: 20, pattern: "^[A-Z]+$" },
  { name: "loose", type: "text", pattern: "[0-9]" },
];
const plan = planOf(FIELDS, { load: { target: "thing", key: ["id"], mode: "upsert" } });
const lines = (list: readonly object[]): string[] => list.map((x) => JSON.stringify(x));

/** A contract as it is given: a line for each field, what else the document has, and what is lost. */
function given(as: ContractStandard): string[] {
  const { document, lost } = giveContract(plan, as);
  const d = document as Record<string, unknown>;
  const own =
    as === "json-schema"
      ? Object.entries(d["properties"] as object).map(([name, p]) => ({ [name]: p as object }))
      : as === "table-schema"
        ? (d["fields"] as object[])
        : (d["tableSchema"] as { columns: object[] }).columns;
  const { properties: _, fields: __, tableSchema, ...rest } = d;
  const key = tableSchema ? { ...rest, primaryKey: (tableSchema as { primaryKey: string[] }).primaryKey } : rest;
  return [...lines(own), JSON.stringify(key), ...lost];
}

/** A contract as it is taken: a line for each field, the key, and what is lost. */
function taken(document: object): string[] {
  const { standard, fields, key, lost } = takeContract(document);
  return [standard, ...lines(fields), `key: ${key.join()}`, ...lost];
}
const backAgain = (as: ContractStandard): string[] =>
  taken(JSON.parse(JSON.stringify(giveContract(plan, as).document)) as object);

describe("JSON Schema", () => {
  it("is given with each type’s own words", () =>
    expect(given("json-schema")).toMatchInlineSnapshot(`
      [
        "{"id":{"title":"Number","type":"integer","minimum":1,"maximum":99}}",
        "{"kg":{"type":["number","null"],"minimum":-1.5,"multipleOf":0.001}}",
        "{"kg0":{"type":["number","null"],"multipleOf":1}}",
        "{"ok":{"type":["boolean","null"]}}",
        "{"ok_one":{"type":["boolean","null"]}}",
        "{"day":{"type":["string","null"],"format":"date"}}",
        "{"day_one":{"type":["string","null"],"format":"date"}}",
        "{"at":{"type":["string","null"],"format":"time"}}",
        "{"made":{"type":["string","null"],"format":"date-time"}}",
        "{"mark":{"type":"string","format":"uuid"}}",
        "{"raw":{}}",
        "{"paid":{"type":["number","null"],"minimum":0}}",
        "{"price":{"type":["string","null"]}}",
        "{"words":{"type":["array","null"],"items":{"type":"string"}}}",
        "{"counts":{"type":["array","null"],"items":{"type":"integer"}}}",
        "{"weights":{"type":["array","null"],"items":{"type":"number"}}}",
        "{"days":{"type":["array","null"],"items":{"type":"string","format":"date"}}}",
        "{"kind":{"type":["string","null"],"enum":["a.b","c",null]}}",
        "{"sort":{"type":"string","enum":["x"]}}",
        "{"text":{"type":["string","null"],"maxLength":20,"pattern":"^[A-Z]+$"}}",
        "{"loose":{"type":["string","null"],"pattern":"[0-9]"}}",
        "{"$schema":"https://json-schema.org/draft/2020-12/schema","title":"things","type":"object","required":["id","mark","sort"]}",
        "id: its other names",
        "kg: at most 9 digits",
        "kg0: at most 9 digits",
        "ok: its words for yes and no",
        "ok_one: its words for yes and no",
        "day: the formats dd.MM.yyyy, yyyy-MM-dd",
        "day_one: the formats d MMM yyyy",
        "at: the formats HH:mm",
        "made: the formats yyyy-MM-dd'T'HH:mm:ssXXX, yyyy-MM-dd'T'HH:mm:ss.SSSXXX, yyyy-MM-dd'T'HH:mm:ss, yyyy-MM-dd'T'HH:mm:ss.SSS, yyyy-MM-dd HH:mm:ss, yyyy-MM-dd HH:mm:ss.SSS, yyyy-MM-dd HH:mm:ssXXX, yyyy-MM-dd HH:mm",
        "raw: that it is JSON of any shape",
        "paid: the currency EUR",
        "price: that each amount names its currency",
        "words: what stands between its values",
        "counts: what stands between its values",
        "weights: what stands between its values",
        "days: what stands between its values",
        "the key id: JSON Schema speaks of one record at a time",
        "id: unique",
        "kg: what happens when a check fails",
        "day: at least 2000-01-01",
        "at: at most 12:00",
      ]
    `));
  it("is taken back", () =>
    expect(backAgain("json-schema")).toMatchInlineSnapshot(`
      [
        "json-schema",
        "{"name":"id","required":true,"type":"integer","least":1,"most":99,"title":"Number"}",
        "{"name":"kg","type":"decimal","precision":15,"scale":3,"least":-1.5}",
        "{"name":"kg0","type":"decimal","precision":12,"scale":0}",
        "{"name":"ok","type":"boolean","words":{"yes":["true"],"no":["false"]}}",
        "{"name":"ok_one","type":"boolean","words":{"yes":["true"],"no":["false"]}}",
        "{"name":"day","type":"date","formats":["yyyy-MM-dd"]}",
        "{"name":"day_one","type":"date","formats":["yyyy-MM-dd"]}",
        "{"name":"at","type":"time","formats":["HH:mm:ss","HH:mm:ss.SSSSSS","HH:mm"]}",
        "{"name":"made","type":"timestamp"}",
        "{"name":"mark","required":true,"type":"uuid"}",
        "{"name":"raw","type":"text"}",
        "{"name":"paid","type":"decimal","precision":18,"scale":6,"least":0}",
        "{"name":"price","type":"text"}",
        "{"name":"words","type":"list","of":"text","by":";"}",
        "{"name":"counts","type":"list","of":"integer","by":";"}",
        "{"name":"weights","type":"list","of":"decimal","by":";"}",
        "{"name":"days","type":"list","of":"date","by":";"}",
        "{"name":"kind","type":"code","values":["a.b","c"]}",
        "{"name":"sort","required":true,"type":"code","values":["x"]}",
        "{"name":"text","type":"text","length":20,"pattern":"^[A-Z]+$"}",
        "{"name":"loose","type":"text","pattern":"[0-9]"}",
        "key: ",
      ]
    `));
  it("is taken from others", () =>
    expect(
      taken({
        type: "array",
        items: {
          required: ["a", "b"],
          properties: {
            a: { type: ["string", "null"], title: "The A", maxLength: 0, format: "email" },
            b: { type: "string", maxLength: 5, pattern: "^x" },
            c: { type: "number", multipleOf: "0.001", minimum: "", maximum: 4 },
            d: { type: "number", multipleOf: 5 },
            e: { const: 7 },
            f: { enum: [] },
            g: { type: "object" },
            h: { type: "array", items: { type: "boolean" } },
            i: { type: "array", items: { type: "string", format: "date" } },
            j: { type: "string", format: "time", minLength: 1 },
            k: null,
          },
          if: {},
        },
      }),
    ).toMatchInlineSnapshot(`
      [
        "json-schema",
        "{"name":"a","type":"text","title":"The A"}",
        "{"name":"b","required":true,"type":"text","length":5,"pattern":"^x"}",
        "{"name":"c","type":"decimal","precision":15,"scale":3,"most":4}",
        "{"name":"d","type":"decimal","precision":12,"scale":0}",
        "{"name":"e","type":"code","values":["7"]}",
        "{"name":"f","type":"text"}",
        "{"name":"g","type":"json"}",
        "{"name":"h","type":"json"}",
        "{"name":"i","type":"list","of":"date","by":";"}",
        "{"name":"j","type":"time","formats":["HH:mm:ss","HH:mm:ss.SSSSSS","HH:mm"]}",
        "{"name":"k","type":"text"}",
        "key: ",
        "if: rules over several fields",
        "a: the format email",
        "a: maxLength",
        "c: minimum",
        "d: that it is a multiple of 5",
        "j: minLength",
      ]
    `));
});

describe("Table Schema", () => {
  it("is given with each type’s own words", () =>
    expect(given("table-schema")).toMatchInlineSnapshot(`
      [
        "{"name":"id","title":"Number","type":"integer","constraints":{"required":true,"unique":true,"minimum":1,"maximum":99}}",
        "{"name":"kg","type":"number","constraints":{"minimum":-1.5}}",
        "{"name":"kg0","type":"number"}",
        "{"name":"ok","type":"boolean","trueValues":["ja","j"],"falseValues":["nein"]}",
        "{"name":"ok_one","type":"boolean","trueValues":["y"],"falseValues":["n"]}",
        "{"name":"day","type":"date","constraints":{"minimum":"2000-01-01"}}",
        "{"name":"day_one","type":"date"}",
        "{"name":"at","type":"time","constraints":{"maximum":"12:00"}}",
        "{"name":"made","type":"datetime"}",
        "{"name":"mark","type":"string","format":"uuid","constraints":{"required":true}}",
        "{"name":"raw","type":"any"}",
        "{"name":"paid","type":"number","bareNumber":false,"decimalChar":",","constraints":{"minimum":0}}",
        "{"name":"price","type":"string"}",
        "{"name":"words","type":"list","delimiter":",","itemType":"string"}",
        "{"name":"counts","type":"list","delimiter":";","itemType":"integer"}",
        "{"name":"weights","type":"list","delimiter":";","itemType":"number"}",
        "{"name":"days","type":"list","delimiter":";","itemType":"date"}",
        "{"name":"kind","type":"string","constraints":{"enum":["a.b","c"]}}",
        "{"name":"sort","type":"string","constraints":{"required":true,"enum":["x"]}}",
        "{"name":"text","type":"string","constraints":{"maxLength":20,"pattern":"[A-Z]+"}}",
        "{"name":"loose","type":"string","constraints":{"pattern":"[0-9]"}}",
        "{"$schema":"https://datapackage.org/profiles/2.0/tableschema.json","primaryKey":["id"],"missingValues":[""]}",
        "id: its other names",
        "kg: at most 9 digits, 3 of them after the point",
        "kg0: at most 9 digits, 0 of them after the point",
        "day: the formats dd.MM.yyyy, yyyy-MM-dd",
        "day_one: the formats d MMM yyyy",
        "at: the formats HH:mm",
        "made: the formats yyyy-MM-dd'T'HH:mm:ssXXX, yyyy-MM-dd'T'HH:mm:ss.SSSXXX, yyyy-MM-dd'T'HH:mm:ss, yyyy-MM-dd'T'HH:mm:ss.SSS, yyyy-MM-dd HH:mm:ss, yyyy-MM-dd HH:mm:ss.SSS, yyyy-MM-dd HH:mm:ssXXX, yyyy-MM-dd HH:mm",
        "raw: that it is JSON of any shape",
        "paid: the currency EUR",
        "price: that each amount names its currency",
        "loose: that its pattern may be found anywhere in the value; Table Schema's fits all of it",
        "kg: what happens when a check fails",
      ]
    `));
  it("is taken back", () =>
    expect(backAgain("table-schema")).toMatchInlineSnapshot(`
    [
      "table-schema",
      "{"name":"id","required":true,"unique":true,"type":"integer","least":1,"most":99,"title":"Number"}",
      "{"name":"kg","type":"decimal","precision":18,"scale":6,"least":-1.5}",
      "{"name":"kg0","type":"decimal","precision":18,"scale":6}",
      "{"name":"ok","type":"boolean","words":{"yes":["ja","j"],"no":["nein"]}}",
      "{"name":"ok_one","type":"boolean","words":{"yes":["y"],"no":["n"]}}",
      "{"name":"day","type":"date","formats":["yyyy-MM-dd"],"least":"2000-01-01"}",
      "{"name":"day_one","type":"date","formats":["yyyy-MM-dd"]}",
      "{"name":"at","type":"time","formats":["HH:mm:ss","HH:mm:ss.SSSSSS","HH:mm"],"most":"12:00"}",
      "{"name":"made","type":"timestamp"}",
      "{"name":"mark","required":true,"type":"uuid"}",
      "{"name":"raw","type":"text"}",
      "{"name":"paid","type":"decimal","precision":18,"scale":6,"least":0}",
      "{"name":"price","type":"text"}",
      "{"name":"words","type":"list","of":"text","by":","}",
      "{"name":"counts","type":"list","of":"integer","by":";"}",
      "{"name":"weights","type":"list","of":"decimal","by":";"}",
      "{"name":"days","type":"list","of":"date","by":";"}",
      "{"name":"kind","type":"code","values":["a.b","c"]}",
      "{"name":"sort","required":true,"type":"code","values":["x"]}",
      "{"name":"text","type":"text","length":20,"pattern":"^(?:[A-Z]+)$"}",
      "{"name":"loose","type":"text","pattern":"^(?:[0-9])$"}",
      "key: id",
    ]
  `));
  it("is taken from others", () =>
    expect(
      taken({
        resources: [
          {
            schema: {
              primaryKey: "a",
              foreignKeys: [{}],
              fields: [
                {
                  name: "a",
                  type: "year",
                  title: "The A",
                  constraints: { required: true, unique: true, minimum: 1900 },
                },
                {
                  name: "b",
                  type: "string",
                  format: "email",
                  constraints: { maxLength: 0, minLength: 2, pattern: "x|y" },
                },
                { name: "c", type: "boolean" },
                { name: "d", type: "date", format: "%d/%m/%Y" },
                { name: "e", type: "date", format: "%j" },
                { name: "f", type: "date", format: "any" },
                { name: "g", type: "geojson" },
                { name: "h", type: "duration" },
                { name: "i", type: "list", itemType: "integer", delimiter: "more than ten" },
                { name: "j", constraints: { enum: [1, 2] } },
                { name: "k", type: "string", format: "default", constraints: { pattern: "(?=x)" } },
                { type: "any" },
              ],
            },
          },
          {},
        ],
      }),
    ).toMatchInlineSnapshot(`
      [
        "table-schema",
        "{"name":"a","required":true,"unique":true,"type":"integer","least":1900,"title":"The A"}",
        "{"name":"b","type":"text","shortest":2,"pattern":"^(?:x|y)$"}",
        "{"name":"c","type":"boolean","words":{"yes":["true","1"],"no":["false","0"]}}",
        "{"name":"d","type":"date","formats":["dd/MM/yyyy"]}",
        "{"name":"e","type":"date","formats":["yyyy-MM-dd"]}",
        "{"name":"f","type":"date","formats":["yyyy-MM-dd"]}",
        "{"name":"g","type":"json"}",
        "{"name":"h","type":"text"}",
        "{"name":"i","type":"list","of":"integer","by":";"}",
        "{"name":"j","type":"code","values":["1","2"]}",
        "{"name":"k","type":"text"}",
        "{"name":"field","type":"text"}",
        "key: a",
        "1 more resources",
        "b: the format email",
        "b: maxLength",
        "e: its format %j",
        "h: the type duration, taken as text",
        "k: its pattern (?=x) is not one of linear time",
        "foreign keys",
      ]
    `));
});

describe("CSV on the Web", () => {
  it("is given with each type’s own words", () =>
    expect(given("csvw")).toMatchInlineSnapshot(`
      [
        "{"name":"id","titles":["Number","No"],"datatype":{"base":"integer","minimum":1,"maximum":99},"required":true}",
        "{"name":"kg","titles":"kg","datatype":{"base":"decimal","minimum":-1.5}}",
        "{"name":"kg0","titles":"kg0","datatype":{"base":"decimal"}}",
        "{"name":"ok","titles":"ok","datatype":{"base":"boolean","format":"ja|nein"}}",
        "{"name":"ok_one","titles":"ok_one","datatype":{"base":"boolean","format":"y|n"}}",
        "{"name":"day","titles":"day","datatype":{"base":"date","format":"dd.MM.yyyy","minimum":"2000-01-01"}}",
        "{"name":"day_one","titles":"day_one","datatype":{"base":"date","format":"d MMM yyyy"}}",
        "{"name":"at","titles":"at","datatype":{"base":"time","format":"HH:mm","maximum":"12:00"}}",
        "{"name":"made","titles":"made","datatype":{"base":"dateTime"}}",
        "{"name":"mark","titles":"mark","datatype":{"base":"string"},"required":true}",
        "{"name":"raw","titles":"raw","datatype":{"base":"json"}}",
        "{"name":"paid","titles":"paid","datatype":{"base":"decimal","format":{"decimalChar":","},"minimum":0}}",
        "{"name":"price","titles":"price","datatype":{"base":"string"}}",
        "{"name":"words","titles":"words","datatype":{"base":"string"},"separator":","}",
        "{"name":"counts","titles":"counts","datatype":{"base":"integer"},"separator":";"}",
        "{"name":"weights","titles":"weights","datatype":{"base":"decimal"},"separator":";"}",
        "{"name":"days","titles":"days","datatype":{"base":"date"},"separator":";"}",
        "{"name":"kind","titles":"kind","datatype":{"base":"string","format":"a\\\\.b|c"}}",
        "{"name":"sort","titles":"sort","datatype":{"base":"string","format":"x"},"required":true}",
        "{"name":"text","titles":"text","datatype":{"base":"string","maxLength":20,"format":"[A-Z]+"}}",
        "{"name":"loose","titles":"loose","datatype":{"base":"string","format":"[0-9]"}}",
        "{"@context":"http://www.w3.org/ns/csvw","url":"things.csv","primaryKey":["id"]}",
        "kg: at most 9 digits, 3 of them after the point",
        "kg0: at most 9 digits, 0 of them after the point",
        "ok: all words for yes and no but the first",
        "day: the formats yyyy-MM-dd",
        "made: the formats yyyy-MM-dd'T'HH:mm:ssXXX, yyyy-MM-dd'T'HH:mm:ss.SSSXXX, yyyy-MM-dd'T'HH:mm:ss, yyyy-MM-dd'T'HH:mm:ss.SSS, yyyy-MM-dd HH:mm:ss, yyyy-MM-dd HH:mm:ss.SSS, yyyy-MM-dd HH:mm:ssXXX, yyyy-MM-dd HH:mm",
        "mark: that it is a UUID",
        "paid: the currency EUR",
        "price: that each amount names its currency",
        "loose: that its pattern may be found anywhere in the value; here it fits all of it",
        "id: unique",
        "kg: what happens when a check fails",
      ]
    `));
  it("is taken back", () =>
    expect(backAgain("csvw")).toMatchInlineSnapshot(`
      [
        "csvw",
        "{"name":"id","required":true,"also":["No"],"type":"integer","least":1,"most":99,"title":"Number"}",
        "{"name":"kg","type":"decimal","precision":18,"scale":6,"least":-1.5}",
        "{"name":"kg0","type":"decimal","precision":18,"scale":6}",
        "{"name":"ok","type":"boolean","words":{"yes":["ja"],"no":["nein"]}}",
        "{"name":"ok_one","type":"boolean","words":{"yes":["y"],"no":["n"]}}",
        "{"name":"day","type":"date","formats":["dd.MM.yyyy"],"least":"2000-01-01"}",
        "{"name":"day_one","type":"date","formats":["d MMM yyyy"]}",
        "{"name":"at","type":"time","formats":["HH:mm"],"most":"12:00"}",
        "{"name":"made","type":"timestamp"}",
        "{"name":"mark","required":true,"type":"text"}",
        "{"name":"raw","type":"json"}",
        "{"name":"paid","type":"decimal","precision":18,"scale":6,"least":0}",
        "{"name":"price","type":"text"}",
        "{"name":"words","type":"list","of":"text","by":","}",
        "{"name":"counts","type":"list","of":"integer","by":";"}",
        "{"name":"weights","type":"list","of":"decimal","by":";"}",
        "{"name":"days","type":"list","of":"date","by":";"}",
        "{"name":"kind","type":"code","values":["a.b","c"]}",
        "{"name":"sort","required":true,"type":"code","values":["x"]}",
        "{"name":"text","type":"text","length":20,"pattern":"^(?:[A-Z]+)$"}",
        "{"name":"loose","type":"text","pattern":"^(?:[0-9])$"}",
        "key: id",
      ]
    `));
  it("is taken from others", () =>
    expect(
      taken({
        tables: [
          {
            tableSchema: {
              primaryKey: ["a", "nowhere"],
              foreignKeys: [],
              columns: [
                { titles: { en: "The A", de: ["Das A"] }, name: "a", datatype: "nonNegativeInteger", required: true },
                { titles: ["B", "Bee"], datatype: { base: "string", maxLength: 0, format: "a\\.b|c" } },
                { titles: null, name: "c", datatype: { base: "positiveInteger", minInclusive: 5 } },
                { name: "d", datatype: { base: "decimal", maximum: "9" } },
                { name: "e", datatype: { base: "boolean", format: "Y|N" } },
                { name: "f", datatype: "boolean" },
                { name: "g", datatype: { base: "date", format: "dd.MM.yyyy" } },
                { name: "h", datatype: { base: "date", format: "week" } },
                { name: "i", datatype: { base: "dateTime", format: "x" } },
                { name: "j", datatype: "anyURI", lang: "en" },
                { name: "k", datatype: { base: "string", format: "[ab]|c" }, default: "c" },
                { name: "l", separator: " ", datatype: "decimal" },
                { name: "m", separator: "", datatype: "integer" },
                { name: "n", separator: "0123456789", datatype: "time" },
                { name: "o", datatype: "time" },
                { name: "p", virtual: true },
                { name: "q", datatype: "token" },
              ],
            },
          },
          {},
        ],
      }),
    ).toMatchInlineSnapshot(`
      [
        "csvw",
        "{"name":"a","required":true,"also":["Das A"],"type":"integer","least":0,"title":"The A"}",
        "{"name":"b","also":["B","Bee"],"type":"code","values":["a.b","c"],"title":"B"}",
        "{"name":"c","type":"integer","least":5}",
        "{"name":"d","type":"decimal","precision":18,"scale":6,"most":"9"}",
        "{"name":"e","type":"boolean","words":{"yes":["Y"],"no":["N"]}}",
        "{"name":"f","type":"boolean","words":{"yes":["true"],"no":["false"]}}",
        "{"name":"g","type":"date","formats":["dd.MM.yyyy"]}",
        "{"name":"h","type":"date","formats":["yyyy-MM-dd"]}",
        "{"name":"i","type":"timestamp"}",
        "{"name":"j","type":"text"}",
        "{"name":"k","type":"text","pattern":"^(?:[ab]|c)$"}",
        "{"name":"l","type":"list","of":"decimal","by":" "}",
        "{"name":"m","type":"list","of":"integer","by":";"}",
        "{"name":"n","type":"list","of":"text","by":"0123456789"}",
        "{"name":"o","type":"time","formats":["HH:mm:ss","HH:mm:ss.SSSSSS","HH:mm"]}",
        "{"name":"q","type":"text"}",
        "key: a",
        "1 more tables",
        "h: its format week is not understood",
        "i: its format x",
        "j: lang",
        "j: the type anyURI, taken as text",
        "k: default",
        "the key: there is no field nowhere",
      ]
    `));
});

describe("which standard a document is of", () => {
  it("is told by what is in it", () => {
    const standards = [{ "@context": "x" }, { tableSchema: {} }, { tables: [] }, { fields: [] }, { resources: [] }]
      .concat([{ $schema: "x" } as never, { properties: {} } as never, { items: {} } as never])
      .map((d) => takeContract(d).standard);
    expect(standards).toEqual([
      ...["csvw", "csvw", "csvw", "table-schema", "table-schema"],
      ...["json-schema", "json-schema", "json-schema"],
    ]);
    for (const none of [null, [], 7, { fields: {} }]) expect(() => takeContract(none)).toThrow("can be understood");
  });
});

describe("the contract of a table", () => {
  const column = (name: string, type: string, more: Partial<TableColumn> = {}): TableColumn => ({
    ...{ name, type, notNull: false, filled: false, computed: false, labels: null },
    ...more,
  });
  const types = ["uuid", "json", "jsonb", "time without time zone", "time(3) without time zone", "text[]", "integer[]"]
    .concat(["numeric(5,1)[]", "date[]", "bigint", "smallint", "numeric", "real", "double precision", "boolean"])
    .concat(["timestamp with time zone", "character(3)", "character varying", "box"]);
  it("has a type for each that the database has", () => {
    const { fields, lost } = contractOfTable(
      types.map((type, i) => column(`c${i}`, type)),
      [],
    );
    expect([...lines(fields), ...lost]).toMatchInlineSnapshot(`
      [
        "{"name":"c0","type":"uuid"}",
        "{"name":"c1","type":"json"}",
        "{"name":"c2","type":"json"}",
        "{"name":"c3","type":"time","formats":["HH:mm:ss","HH:mm:ss.SSSSSS","HH:mm"]}",
        "{"name":"c4","type":"time","formats":["HH:mm:ss","HH:mm:ss.SSSSSS","HH:mm"]}",
        "{"name":"c5","type":"list","of":"text","by":";"}",
        "{"name":"c7","type":"list","of":"decimal","by":";"}",
        "{"name":"c8","type":"list","of":"date","by":";"}",
        "{"name":"c9","type":"integer"}",
        "{"name":"c10","type":"integer","least":-32768,"most":32767}",
        "{"name":"c11","type":"decimal","precision":38,"scale":12}",
        "{"name":"c12","type":"decimal","precision":15,"scale":6}",
        "{"name":"c13","type":"decimal","precision":15,"scale":6}",
        "{"name":"c14","type":"boolean","words":{"yes":["true","yes","1","t"],"no":["false","no","0","f"]}}",
        "{"name":"c15","type":"timestamp","formats":["yyyy-MM-dd HH:mm:ss"]}",
        "{"name":"c16","type":"text","length":3}",
        "{"name":"c17","type":"text","length":10000}",
        "c6: values of the type integer[] can't be checked",
        "c18: values of the type box can't be checked",
      ]
    `);
  });

  it("takes of a check rule what a field can say, and no part of others", () => {
    const rule = (definition: string, kind = "check" as const) => ({ name: "r", kind, columns: ["a"], definition });
    const of = (type: string, definition: string) => {
      const { fields, lost } = contractOfTable([column("a", type)], [rule(definition)]);
      const { name: _, type: is, ...rest } = fields[0]!;
      return lost.length > 0 ? "lost" : JSON.stringify({ is, ...rest });
    };
    expect([
      of("text", "CHECK ((length(a) <= 7))"),
      of("integer", "CHECK ((length((a)::text) <= 7))"),
      of("text", "CHECK ((a ~ '^it''s$'::text))"),
      of("text", "CHECK ((a ~ '^x'::text) OR true)"),
      of("text", "CHECK ((a !~ '^x'::text))"),
      of("text", "CHECK ((a = 'one'::text))"),
      of("integer", "CHECK ((a = ANY (ARRAY[1, 2])))"),
      of("text", "CHECK ((a > 5))"),
      of("date", "CHECK ((a >= '2000-01-01'::date))"),
      of("date", "CHECK ((a > '2000-01-01'::date))"),
      of("numeric(5,2)", "CHECK ((a < (10)::numeric))"),
      of("integer", "CHECK (((a >= 3) AND (a >= 2) AND (a <= 9) AND (a <= 10)))"),
      of("integer", "CHECK ((b >= 3))"),
    ]).toMatchInlineSnapshot(`
      [
        "{"is":"text","length":7}",
        "lost",
        "{"is":"text","length":10000,"pattern":"^it's$"}",
        "lost",
        "lost",
        "{"is":"code","values":["one"]}",
        "lost",
        "lost",
        "{"is":"date","formats":["yyyy-MM-dd"],"least":"2000-01-01"}",
        "lost",
        "{"is":"decimal","precision":5,"scale":2,"most":9.99}",
        "{"is":"integer","least":3,"most":9}",
        "lost",
      ]
    `);
  });

  it("takes a UUID where a pattern says that it is one", () => {
    const pattern = "^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$";
    const uuid = (field: object) => columnTakes({ type: "uuid", labels: null }, { name: "x", ...field } as never);
    expect([uuid({ type: "uuid" }), uuid({ type: "text", pattern: "^x$" }), uuid({ type: "text" })]).toEqual([
      true,
      false,
      false,
    ]);
    expect(uuid({ type: "integer" })).toBe(false);
    expect(uuid({ type: "text", pattern })).toMatchInlineSnapshot(`true`);
    expect(columnTakes({ type: "kind", labels: ["a"] }, { name: "x", type: "text" } as never)).toBe(false);
  });
});
