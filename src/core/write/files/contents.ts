import type { Field } from "../../field/field.ts";

/** What can go out of a feed as files. */
export const CONTENTS = ["rows", "accepted", "changed", "records", "held"] as const;
export type Contents = (typeof CONTENTS)[number];

/** What can go out of one load once it has ended. */
export const LOAD_CONTENTS = ["accepted", "changed", "records", "held"] as const satisfies readonly Contents[];

/** Whether what goes out is of one load, which then has to be said. */
export const isOfLoad = (what: Contents): what is OfLoad => what !== "rows" && what !== "held";
type OfLoad = Exclude<Contents, "rows" | "held">;

/** Whether the values that go out are sound, so that they are typed by the contract. */
export const isTyped = (what: Contents): boolean => what === "rows" || what === "accepted" || what === "changed";

const text = (name: string): Field => ({ name, type: "text" });
const integer = (name: string): Field => ({ name, type: "integer" });

/** What is said of each held record before its values. */
export const OF_HELD: readonly Field[] = [
  text("_problems"),
  integer("_load"),
  integer("_record"),
  text("_file"),
  integer("_line"),
  { name: "_since", type: "timestamp" },
  { name: "_with_sender", type: "timestamp" },
];

/** What is said of each record of a load before its values. */
export const OF_RECORDS: readonly Field[] = [
  text("_outcome"),
  text("_problems"),
  integer("_record"),
  text("_file"),
  integer("_line"),
];

/**
 * The fields of what goes out, of a contract with these: rows and what was accepted or changed are typed by it; what is held, or
 * anything that a load read, has values of any kind, so that they are texts.
 */
export function fieldsOut(what: Contents, fields: readonly Field[]): Field[] {
  if (isTyped(what)) return [...fields];
  const about = what === "held" ? OF_HELD : OF_RECORDS;
  return [...about, ...fields.map(({ name, title }) => ({ ...text(name), ...(title === undefined ? {} : { title }) }))];
}
