import { avro } from "./avro.ts";
import { csv, guardedCsv, tsv } from "./delimited.ts";
import { json, jsonLines } from "./json.ts";
import { parquet } from "./parquet.ts";
import type { OutputPart } from "./part.ts";
import { xlsx } from "./xlsx.ts";
import { xml } from "./xml.ts";

/** The formats in which records go out; the first is taken where nothing says another. */
export const OUTPUTS: readonly OutputPart[] = [csv, guardedCsv, tsv, json, jsonLines, xml, parquet, avro, xlsx];
