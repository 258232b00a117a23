import { avro } from "./avro/part.ts";
import { blocks } from "./blocks/part.ts";
import { delimited } from "./delimited/part.ts";
import { fixed } from "./fixed/part.ts";
import { json, jsonLines } from "./json/part.ts";
import { ods } from "./ods/part.ts";
import { parquet } from "./parquet/part.ts";
import { xlsx } from "./xlsx/part.ts";
import { xml } from "./xml/part.ts";

/** Every file format. Of what is text, the later ones are asked first whether a file is theirs: they ask more of it. */
export const FORMATS = [delimited, fixed, blocks, json, jsonLines, xml, xlsx, ods, parquet, avro] as const;
export type FormatId = (typeof FORMATS)[number]["id"];
