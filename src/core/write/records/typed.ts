import type { Field } from "../../plan/types.ts";
import { listValues } from "../../type/list.ts";

/** A moment as ISO 8601 has it, from how it is kept. */
export const isoMoment = (canonical: string): string => canonical.replace(" ", "T").replace(/\+00$/, "Z");

/** A plain number as JSON may have it: no plus, no zeros before, digits on both sides of the point. */
function jsonNumber(canonical: string): string {
  const [, sign, whole, part] = /^([+-]?)0*(\d*)(?:\.(\d*))?$/.exec(canonical) ?? [];
  if (whole === undefined) return JSON.stringify(canonical);
  return `${sign === "-" ? "-" : ""}${whole === "" ? "0" : whole}${part ? `.${part}` : ""}`;
}

/** A canonical value as JSON text, typed as the contract has it, every digit kept; null for what is empty. */
export function jsonOf(field: Field, canonical: string): string {
  if (canonical === "") return "null";
  switch (field.type) {
    case "integer":
    case "decimal":
      return jsonNumber(canonical);
    case "money":
      return field.currency === undefined ? JSON.stringify(canonical) : jsonNumber(canonical);
    case "boolean":
      return String(canonical === "t" || canonical === "true");
    case "timestamp":
      return JSON.stringify(isoMoment(canonical));
    case "list": {
      const numbers = field.of === "integer" || field.of === "decimal";
      return `[${listValues(canonical)
        .map((v) => (numbers ? jsonNumber(v) : JSON.stringify(v)))
        .join(",")}]`;
    }
    case "json":
      return canonical.replace(/[\r\n]+/g, " ");
    default:
      return JSON.stringify(canonical);
  }
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
