import type { Field } from "../plan/types.ts";
import { DEFAULT_LIMITS, type MatchField, type MatchSection } from "./schema.ts";

/** Words in a field's name or title that say what is in it, the first that fits. */
const KNOWN: readonly (readonly [RegExp, Omit<MatchField, "in">])[] = [
  [/phone|telephone|mobile|fax|postcode|postal|zip/, { by: "edit", as: "code", shared: true }],
  [/mail|iban|passport/, { by: "edit", as: "code" }],
  [/compan|organi[sz]ation|institution|garden|employer|publisher/, { by: "words", as: "organisation" }],
  [/street|address/, { by: "address" }],
  [/town|city|village|place|site|country|county|region|locality|station/, { by: "words", as: "place" }],
  [/person|name|collector|author|surname|given|family|contact|people/, { by: "person" }],
];

/**
 * A match section for a contract that has none: what is compared, and how, from the types and names
 * of its fields. The target's key is not compared, nor are amounts and long texts; null where
 * nothing is left.
 */
export function proposeMatch(fields: readonly Field[], key: readonly string[]): MatchSection | null {
  const found: MatchField[] = [];
  const [lat, lon] = [
    fields.find((f) => /^lat(itude)?$/.test(f.name)),
    fields.find((f) => /^lon(gitude)?$|^lng$/.test(f.name)),
  ];
  for (const field of fields) {
    if (key.includes(field.name) || field.name.startsWith("_")) continue;
    const words = `${field.name} ${field.title ?? ""}`.toLowerCase();
    if (field.type === "date") found.push({ in: [field.name], by: "date" });
    else if (field.type === "code") found.push({ in: [field.name], by: "equal" });
    else if (field.type === "integer") {
      // A year, a number of a house: what tells things apart, not what is counted.
      if (/postcode|postal|zip|phone/.test(words)) found.push({ in: [field.name], by: "number", shared: true });
      else if (/year|born|number|no$/.test(words)) found.push({ in: [field.name], by: "number" });
    } else if (field.type === "text") {
      const known = KNOWN.find(([pattern]) => pattern.test(words));
      if (known) found.push({ ...known[1], in: [field.name] } as unknown as MatchField);
      else if ((field.length ?? 0) <= 120 && !/note|remark|comment|description/.test(words)) {
        found.push({ in: [field.name], by: "words" });
      }
    }
  }
  if (lat && lon) found.push({ in: [lat.name, lon.name], by: "distance", km: 10 });
  return found.length === 0 ? null : { against: ["delivery"], fields: found.slice(0, 16), limits: DEFAULT_LIMITS };
}
