import type { Field } from "../../plan/types.ts";
import type { OutputPart } from "./part.ts";
import { textWriter } from "./part.ts";
import { jsonOf } from "./typed.ts";

const objectOf = (fields: readonly Field[], values: readonly string[]): string =>
  `{${fields.map((f, i) => `${JSON.stringify(f.name)}:${jsonOf(f, values[i]!)}`).join(",")}}`;

/** An array of objects, values typed, numbers with all their digits (RFC 8259). */
export const json: OutputPart<"json"> = {
  id: "json",
  title: "JSON",
  extensions: ["json"],
  open: (fields) => textWriter("[", (values, first) => `${first ? "\n" : ",\n"}${objectOf(fields, values)}`, "\n]\n"),
};

/** One object a line. */
export const jsonLines: OutputPart<"json-lines"> = {
  id: "json-lines",
  title: "JSON Lines",
  extensions: ["jsonl", "ndjson"],
  open: (fields) => textWriter("", (values) => `${objectOf(fields, values)}\n`, ""),
};
