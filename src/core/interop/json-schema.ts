import type { Plan } from "../plan/document.ts";
import type { Field } from "../field/field.ts";
import type { Given, StandardPart, Taken } from "./part.ts";
import { charactersOf, FieldTaker, limitsOf, listField, timeField } from "./names.ts";

const asNumber = (v: number | string): number => Number(v);

/** JSON Schema (draft 2020-12) of one record as an object, values typed. */
function toJsonSchema(plan: Plan): Given {
  const lost: string[] = [];
  const properties: Record<string, object> = {};
  for (const f of plan.contract.fields) properties[f.name] = propertyOf(f, lost);
  if (plan.load.key.length > 0)
    lost.push(`the key ${plan.load.key.join(", ")}: JSON Schema speaks of one record at a time`);
  return {
    document: {
      $schema: "https://json-schema.org/draft/2020-12/schema",
      title: plan.feed,
      type: "object",
      properties,
      required: plan.contract.fields.filter((f) => f.required).map((f) => f.name),
    },
    lost,
  };
}

function propertyOf(f: Field, lost: string[]): object {
  const title = f.title ? { title: f.title } : {};
  const typed = (type: string): { type: string | string[] } => ({ type: f.required ? type : [type, "null"] });
  if (f.also?.length) lost.push(`${f.name}: its other names`);
  switch (f.type) {
    case "integer":
    case "decimal": {
      if (f.type === "decimal") lost.push(`${f.name}: at most ${f.precision} digits`);
      return {
        ...title,
        ...typed(f.type === "integer" ? "integer" : "number"),
        ...(f.least === undefined ? {} : { minimum: asNumber(f.least) }),
        ...(f.most === undefined ? {} : { maximum: asNumber(f.most) }),
        ...(f.type === "decimal" && f.scale! < 16 ? { multipleOf: Number(`1e-${f.scale}`) } : {}),
      };
    }
    case "boolean":
      if (f.words) lost.push(`${f.name}: its words for yes and no`);
      return { ...title, ...typed("boolean") };
    case "uuid":
      return { ...title, ...typed("string"), format: "uuid" };
    case "json":
      lost.push(`${f.name}: that it is JSON of any shape`);
      return title;
    case "list": {
      lost.push(`${f.name}: what stands between its values`);
      const items = f.of === "integer" ? "integer" : f.of === "decimal" ? "number" : "string";
      return {
        ...title,
        ...typed("array"),
        items: { type: items, ...(f.of === "date" ? { format: "date" } : {}) },
      };
    }
    case "money":
      lost.push(
        `${f.name}: ${f.currency === undefined ? "that each amount names its currency" : `the currency ${f.currency}`}`,
      );
      return {
        ...title,
        ...typed(f.currency === undefined ? "string" : "number"),
        ...(f.least === undefined ? {} : { minimum: asNumber(f.least) }),
        ...(f.most === undefined ? {} : { maximum: asNumber(f.most) }),
      };
    case "date":
    case "time":
    case "timestamp":
      if (f.formats) lost.push(`${f.name}: the formats ${f.formats.join(", ")}`);
      return { ...title, ...typed("string"), format: f.type === "timestamp" ? "date-time" : f.type };
    case "code":
      return {
        ...title,
        ...typed("string"),
        enum: [...(f.values ?? []), ...(f.required ? [] : [null])],
        ...(f.pattern === undefined ? {} : { pattern: f.pattern }),
      };
    default:
      return {
        ...title,
        ...typed("string"),
        ...(f.shortest === undefined ? {} : { minLength: f.shortest }),
        ...(f.length === undefined ? {} : { maxLength: f.length }),
        ...(f.pattern === undefined ? {} : { pattern: f.pattern }),
      };
  }
}

/** What the values of a list can be. */
const PLAIN = ["string", "integer", "number"];

/** Fields from JSON Schema of an object, or of an array of objects. */
function fromJsonSchema(document: Record<string, unknown>): Taken {
  const taker = new FieldTaker();
  const items = document["items"];
  // Of a list of records, what its items are.
  const isList = !("properties" in document) && typeof items === "object" && items !== null && !Array.isArray(items);
  const schema = (isList ? items : document) as Record<string, unknown>;
  const required = new Set(Array.isArray(schema["required"]) ? schema["required"] : []);
  for (const word of ["allOf", "anyOf", "oneOf", "if", "not", "dependentRequired", "$ref"]) {
    if (word in schema) taker.lost.push(`${word}: rules over several fields`);
  }
  for (const [name, value] of Object.entries((schema["properties"] ?? {}) as Record<string, unknown>)) {
    const p = (typeof value === "object" && value !== null ? value : {}) as Record<string, unknown>;
    const types = (Array.isArray(p["type"]) ? p["type"] : [p["type"]]).filter((t) => t !== "null");
    const title = typeof p["title"] === "string" ? p["title"] : undefined;
    const items = (typeof p["items"] === "object" && p["items"] !== null ? p["items"] : {}) as Record<string, unknown>;
    const base =
      required.has(name) && !(Array.isArray(p["type"]) && p["type"].includes("null")) ? { required: true } : {};
    const known = [
      "type",
      "title",
      "description",
      "minimum",
      "maximum",
      "multipleOf",
      "format",
      "enum",
      "const",
      "minLength",
      "maxLength",
      "pattern",
      "items",
      "examples",
      "default",
      "$comment",
    ];
    for (const word of Object.keys(p)) if (!known.includes(word)) taker.lose(name, word);
    const values = Array.isArray(p["enum"])
      ? p["enum"].filter((v) => v !== null).map(String)
      : "const" in p
        ? [String(p["const"])]
        : null;
    if (values && values.length > 0)
      taker.add(name, title, { ...base, type: "code", values, ...taker.pattern(name, p["pattern"], false) });
    else if (types[0] === "integer")
      taker.add(name, title, { ...base, type: "integer", ...limitsOf(p["minimum"], p["maximum"]) });
    else if (types[0] === "number") {
      const step = /^1e-(\d+)$|^0\.(0*1)$/.exec(String(p["multipleOf"] ?? ""));
      const whole = Number.isInteger(p["multipleOf"]);
      const scale = whole ? 0 : step ? Number(step[1] ?? step[2]!.length) : 6;
      if (whole && p["multipleOf"] !== 1) taker.lose(name, `that it is a multiple of ${String(p["multipleOf"])}`);
      taker.add(name, title, {
        ...base,
        type: "decimal",
        precision: scale + 12,
        scale,
        ...limitsOf(p["minimum"], p["maximum"]),
      });
    } else if (types[0] === "boolean")
      taker.add(name, title, { ...base, type: "boolean", words: { yes: ["true"], no: ["false"] } });
    else if (types[0] === "string" && p["format"] === "date")
      taker.add(name, title, { ...base, type: "date", formats: ["yyyy-MM-dd"] });
    else if (types[0] === "string" && p["format"] === "date-time")
      taker.add(name, title, { ...base, type: "timestamp" } as Field);
    else if (types[0] === "string" && p["format"] === "time") taker.add(name, title, { ...base, ...timeField() });
    else if (types[0] === "string" && p["format"] === "uuid") taker.add(name, title, { ...base, type: "uuid" });
    else if (types[0] === "array" && typeof items["type"] === "string" && PLAIN.includes(items["type"]))
      taker.add(name, title, {
        ...base,
        ...listField(items["format"] === "date" ? "date" : items["type"], ";"),
      });
    else if (types[0] === "object" || types[0] === "array") taker.add(name, title, { ...base, type: "json" });
    else {
      if (p["format"] !== undefined) taker.lose(name, `the format ${String(p["format"])}`);
      taker.add(name, title, {
        ...base,
        type: "text",
        ...charactersOf(p),
        ...taker.pattern(name, p["pattern"], false),
      });
    }
    taker.loseUnsaid(name, p);
  }
  return { fields: taker.fields, key: [], lost: taker.lost };
}

export const jsonSchema: StandardPart<"json-schema"> = {
  id: "json-schema",
  title: "JSON Schema",
  knows: (d) => "properties" in d || "$schema" in d || "items" in d,
  says: (f, check) => {
    if (check === "least" || check === "most") return ["integer", "decimal", "money"].includes(f.type);
    return ["required", "length", "shortest", "pattern"].includes(check);
  },
  give: toJsonSchema,
  take: fromJsonSchema,
};
