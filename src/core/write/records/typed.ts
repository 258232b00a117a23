import type { Field } from "../../field/field.ts";
import { listValues } from "../../type/list.ts";

/** A moment as ISO 8601 has it, from how it is kept. */
export const isoMoment = (canonical: string): string => canonical.replace(" ", "T").replace(/\+00$/, "Z");

const JSON_NUMBER = /^-?(?:0|[1-9]\d*)(?:\.\d+)?$/;

/** A plain number as JSON may have it: no plus, no zeros before, digits on both sides of the point. */
function jsonNumber(canonical: string): string {
  if (JSON_NUMBER.test(canonical)) return canonical;
  const [, sign, whole, part] = /^([+-]?)0*(\d*)(?:\.(\d*))?$/.exec(canonical) ?? [];
  if (whole === undefined) return JSON.stringify(canonical);
  return `${sign === "-" ? "-" : ""}${whole === "" ? "0" : whole}${part ? `.${part}` : ""}`;
}

/** Text of which no character needs an escape within quotes. */
const NO_ESCAPE = /^[\x20\x21\x23-\x5b\x5d-\ud7ff\ue000-\uffff]*$/;
const jsonText = (text: string): string => (NO_ESCAPE.test(text) ? `"${text}"` : JSON.stringify(text));

/** What writes filled canonical values of a field as JSON text, typed as the contract has it, every digit kept. */
function jsonWriter(field: Field): (canonical: string) => string {
  switch (field.type) {
    case "integer":
    case "decimal":
      return jsonNumber;
    case "money":
      return field.currency === undefined ? jsonText : jsonNumber;
    case "boolean":
      return (v) => String(v === "t" || v === "true");
    case "timestamp":
      return (v) => jsonText(isoMoment(v));
    case "list": {
      const write = field.of === "integer" || field.of === "decimal" ? jsonNumber : jsonText;
      return (v) => `[${listValues(v).map(write).join(",")}]`;
    }
    case "json":
      return (v) => v.replace(/[\r\n]+/g, " ");
    default:
      return jsonText;
  }
}

/** What writes records as JSON objects; what is empty is null. */
export function jsonObjects(fields: readonly Field[]): (values: readonly string[]) => string {
  const writers = fields.map(jsonWriter);
  const before = fields.map(({ name }, f) => `${f === 0 ? "{" : ","}${JSON.stringify(name)}:`);
  return (values) => {
    let text = "";
    for (let f = 0; f < before.length; f++) {
      const value = values[f]!;
      text += before[f]! + (value === "" ? "null" : writers[f]!(value));
    }
    return `${text}}`;
  };
}

/** A canonical value as a text that the contract reads again: booleans and lists in its own words. */
export function textOfValue(field: Field, canonical: string): string {
  if (canonical === "") return "";
  switch (field.type) {
    case "boolean": {
      const yes = canonical === "t" || canonical === "true";
      return yes ? (field.words?.yes[0] ?? "true") : (field.words?.no[0] ?? "false");
    }
    case "timestamp":
      return isoMoment(canonical);
    case "list": {
      const values = listValues(canonical);
      const by = field.by ?? ";";
      // A value that has the mark in it, or white space at its ends, would come back as another.
      const plain = values.every((v) => v !== "" && v === v.trim() && !v.includes(by) && !v.startsWith("["));
      return plain && values.length > 0 ? values.join(by) : JSON.stringify(values);
    }
    default:
      return canonical;
  }
}
