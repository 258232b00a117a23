import type { Plan } from "../plan/document.ts";
import type { Field } from "../field/field.ts";
import type { Given, StandardPart, Taken } from "./part.ts";
import { charactersOf, FieldTaker, isWhole, limitsOf, listField, timeField } from "./names.ts";

/** Letters of Unicode TR 35 and the strftime letters that Table Schema uses. */
const LETTERS: [string, string][] = [
  ["yyyy", "%Y"],
  ["MMMM", "%B"],
  ["MMM", "%b"],
  ["MM", "%m"],
  ["dd", "%d"],
  ["HH", "%H"],
  ["mm", "%M"],
  ["ss", "%S"],
];

function toStrftime(format: string): string | null {
  let out = "";
  for (let i = 0; i < format.length;) {
    const letters = LETTERS.find(([l]) => format.startsWith(l, i));
    if (letters) {
      out += letters[1];
      i += letters[0].length;
    } else if (/[A-Za-z']/.test(format[i]!)) return null;
    else out += format[i++];
  }
  return out;
}

function fromStrftime(format: string): string | null {
  let out = "";
  for (let i = 0; i < format.length;) {
    const letters = LETTERS.find(([, l]) => format.startsWith(l, i));
    if (letters) {
      out += letters[0];
      i += 2;
    } else if (format[i] === "%" || /[A-Za-z]/.test(format[i]!)) return null;
    else out += format[i++];
  }
  return out;
}

/** Table Schema (Data Package, version 2). */
function toTableSchema(plan: Plan): Given {
  const lost: string[] = [];
  return {
    document: {
      $schema: "https://datapackage.org/profiles/2.0/tableschema.json",
      fields: plan.contract.fields.map((f) => fieldOf(f, lost)),
      ...(plan.load.key.length > 0 ? { primaryKey: plan.load.key } : {}),
      missingValues: [""],
    },
    lost,
  };
}

function fieldOf(f: Field, lost: string[]): object {
  const constraints = {
    ...(f.required ? { required: true } : {}),
    ...(f.unique ? { unique: true } : {}),
    ...(f.least === undefined ? {} : { minimum: f.least }),
    ...(f.most === undefined ? {} : { maximum: f.most }),
    ...(f.shortest === undefined ? {} : { minLength: f.shortest }),
    ...(f.length === undefined ? {} : { maxLength: f.length }),
    ...(f.pattern === undefined ? {} : { pattern: f.pattern.replace(/^\^|\$$/g, "") }),
    ...(f.type === "code" ? { enum: f.values } : {}),
  };
  if (f.also?.length) lost.push(`${f.name}: its other names`);
  if (f.type === "decimal") lost.push(`${f.name}: at most ${f.precision} digits, ${f.scale} of them after the point`);
  if (f.pattern !== undefined && !isWhole(f.pattern)) {
    lost.push(`${f.name}: that its pattern may be found anywhere in the value; Table Schema's fits all of it`);
  }
  const { type, ...own } = typeOf(f, lost);
  let format: string | null = f.type === "uuid" ? "uuid" : null;
  if (f.formats && f.formats.join() !== "yyyy-MM-dd") {
    format = f.type === "date" && f.formats.length === 1 ? toStrftime(f.formats[0]!) : null;
    if (format === null) lost.push(`${f.name}: the formats ${f.formats.join(", ")}`);
  }
  return {
    name: f.name,
    ...(f.title ? { title: f.title } : {}),
    type,
    ...own,
    ...(format ? { format } : {}),
    ...(f.type === "boolean" ? { trueValues: f.words?.yes, falseValues: f.words?.no } : {}),
    ...(Object.keys(constraints).length > 0 ? { constraints } : {}),
  };
}

const TYPES: Record<Field["type"], string> = {
  text: "string",
  code: "string",
  integer: "integer",
  decimal: "number",
  money: "number",
  boolean: "boolean",
  date: "date",
  time: "time",
  timestamp: "datetime",
  uuid: "string",
  list: "list",
  json: "any",
};

/** The type that Table Schema has for a field, with what belongs to it. */
function typeOf(f: Field, lost: string[]): { type: string } & Record<string, unknown> {
  if (f.type === "list") {
    const itemType = TYPES[f.of ?? "text"];
    return { type: "list", ...(f.by ? { delimiter: f.by } : {}), itemType };
  }
  if (f.type === "money") {
    if (f.currency === undefined) {
      lost.push(`${f.name}: that each amount names its currency`);
      return { type: "string" };
    }
    lost.push(`${f.name}: the currency ${f.currency}`);
    return { type: "number", bareNumber: false, ...(f.decimal === "," ? { decimalChar: "," } : {}) };
  }
  if (f.type === "json") lost.push(`${f.name}: that it is JSON of any shape`);
  return { type: TYPES[f.type] };
}

/** Fields from a Table Schema, or from the first resource of a data package. */
function fromTableSchema(document: Record<string, unknown>): Taken {
  const taker = new FieldTaker();
  let schema = document;
  const resources = document["resources"];
  if (Array.isArray(resources)) {
    if (resources.length > 1) taker.lost.push(`${resources.length - 1} more resources`);
    schema = ((resources[0] as Record<string, unknown> | undefined)?.["schema"] ?? {}) as Record<string, unknown>;
  }
  const list = Array.isArray(schema["fields"]) ? (schema["fields"] as Record<string, unknown>[]) : [];
  for (const f of list) {
    const name = String(f["name"] ?? "");
    const title = typeof f["title"] === "string" ? f["title"] : undefined;
    const c = (f["constraints"] ?? {}) as Record<string, unknown>;
    const base = {
      ...(c["required"] === true ? { required: true } : {}),
      ...(c["unique"] === true ? { unique: true } : {}),
    };
    for (const word of ["jsonSchema"]) if (word in c) taker.lose(name, word);
    const limits = limitsOf(c["minimum"], c["maximum"]);
    const type = String(f["type"] ?? "string");
    const words = (key: string, otherwise: string[]): string[] =>
      Array.isArray(f[key]) ? (f[key] as unknown[]).map(String) : otherwise;
    if (Array.isArray(c["enum"]) && c["enum"].length > 0)
      taker.add(name, title, {
        ...base,
        type: "code",
        values: c["enum"].map(String),
        ...taker.pattern(name, c["pattern"], true),
      });
    else if (type === "integer" || type === "year") taker.add(name, title, { ...base, type: "integer", ...limits });
    else if (type === "number")
      taker.add(name, title, { ...base, type: "decimal", precision: 18, scale: 6, ...limits });
    else if (type === "boolean") {
      const yes = words("trueValues", ["true", "1"]);
      taker.add(name, title, { ...base, type: "boolean", words: { yes, no: words("falseValues", ["false", "0"]) } });
    } else if (type === "date") {
      const given =
        typeof f["format"] === "string" && f["format"] !== "default" && f["format"] !== "any"
          ? f["format"]
          : "%Y-%m-%d";
      const formats = taker.formats(name, fromStrftime(given)) ?? { formats: ["yyyy-MM-dd"] };
      if (fromStrftime(given) === null) taker.lose(name, `its format ${given}`);
      taker.add(name, title, { ...base, type: "date", ...formats, ...limits });
    } else if (type === "time") taker.add(name, title, { ...base, ...timeField(), ...limits });
    else if (type === "list") taker.add(name, title, { ...base, ...listField(f["itemType"], f["delimiter"]) });
    else if (["object", "array", "geojson"].includes(type)) taker.add(name, title, { ...base, type: "json" });
    else if (type === "string" && f["format"] === "uuid") taker.add(name, title, { ...base, type: "uuid" });
    else if (type === "datetime") taker.add(name, title, { ...base, type: "timestamp", ...limits } as Field);
    else {
      if (!["string", "any"].includes(type)) taker.lose(name, `the type ${type}, taken as text`);
      if (f["format"] !== undefined && f["format"] !== "default") taker.lose(name, `the format ${String(f["format"])}`);
      taker.add(name, title, { ...base, type: "text", ...charactersOf(c), ...taker.pattern(name, c["pattern"], true) });
    }
    taker.loseUnsaid(name, c);
  }
  if (Array.isArray(schema["foreignKeys"]) && schema["foreignKeys"].length > 0) taker.lost.push("foreign keys");
  const key = schema["primaryKey"];
  return { fields: taker.fields, key: taker.names(key === undefined ? [] : [key].flat(), "the key"), lost: taker.lost };
}

export const tableSchema: StandardPart<"table-schema"> = {
  id: "table-schema",
  title: "Table Schema",
  knows: (d) => Array.isArray(d["fields"]) || "resources" in d,
  says: (_, check) => ["required", "unique", "least", "most", "length", "shortest", "pattern"].includes(check),
  give: toTableSchema,
  take: fromTableSchema,
};
