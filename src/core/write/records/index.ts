import { csv, tsv } from "./delimited.ts";
import { json, jsonLines } from "./json.ts";
import { parquet } from "./parquet.ts";
import type { OutputPart } from "./part.ts";
import { xml } from "./xml.ts";

/** The formats in which records go out. */
export const OUTPUTS: readonly OutputPart[] = [csv, tsv, json, jsonLines, xml, parquet];

/** The format that a file's name says; CSV where it says none. */
export function outputOf(name: string): OutputPart {
  const extension = /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase() ?? "";
  return OUTPUTS.find((o) => o.extensions.includes(extension)) ?? csv;
}
