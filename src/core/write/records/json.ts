import type { OutputPart } from "./part.ts";
import { textWriter } from "./part.ts";
import { jsonObjects } from "./typed.ts";

/** An array of objects, values typed, numbers with all their digits (RFC 8259). */
export const json: OutputPart<"json"> = {
  id: "json",
  title: "JSON",
  extensions: ["json"],
  open(fields) {
    const objectOf = jsonObjects(fields);
    return textWriter("[", (values, first) => `${first ? "\n" : ",\n"}${objectOf(values)}`, "\n]\n");
  },
};

/** One object a line. */
export const jsonLines: OutputPart<"json-lines"> = {
  id: "json-lines",
  title: "JSON Lines",
  extensions: ["jsonl", "ndjson"],
  open(fields) {
    const objectOf = jsonObjects(fields);
    return textWriter("", (values) => `${objectOf(values)}\n`, "");
  },
};
