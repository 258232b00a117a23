import { SieveError, listed } from "../../kernel/problem.ts";
import { csv, guardedCsv, tsv } from "./delimited.ts";
import { json, jsonLines } from "./json.ts";
import { parquet } from "./parquet.ts";
import type { OutputPart } from "./part.ts";
import { xlsx } from "./xlsx.ts";
import { xml } from "./xml.ts";

/** The formats in which records go out. */
export const OUTPUTS: readonly OutputPart[] = [csv, guardedCsv, tsv, json, jsonLines, xml, parquet, xlsx];

/** The format that a file's name says; CSV where it says none. */
export function outputOf(name: string): OutputPart {
  const extension = /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase() ?? "";
  return OUTPUTS.find((o) => o.extensions.includes(extension)) ?? csv;
}

export const OUTPUT_IDS = OUTPUTS.map((o) => o.id);

/** The format that is called so. Throws `out-unfit`. */
export function outputCalled(id: string): OutputPart {
  const known = OUTPUTS.find((o) => o.id === id || o.extensions.includes(id));
  if (known) return known;
  throw new SieveError("out-unfit", `There is no format ${id} to write.`, { hint: `One of ${listed(OUTPUT_IDS)}.` });
}
