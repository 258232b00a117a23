import { reader as avro } from "./avro/format.ts";
import { reader as blocks } from "./blocks/format.ts";
import { reader as delimited } from "./delimited/format.ts";
import { reader as fixed } from "./fixed/format.ts";
import type { FormatId } from "./formats.ts";
import { jsonReader, linesReader } from "./json/format.ts";
import { reader as ods } from "./ods/format.ts";
import { reader as parquet } from "./parquet/format.ts";
import type { Reader } from "./part.ts";
import { reader as xlsx } from "./xlsx/format.ts";
import { reader as xml } from "./xml/format.ts";

/**
 * The reader of each format. They stand apart from what formats.ts says of formats, which screens have too: a browser
 * must not be sent the libraries that read files, and some of them do not even run there.
 */
export const READERS: Readonly<Record<FormatId, Reader>> = {
  delimited,
  fixed,
  blocks,
  json: jsonReader,
  "json-lines": linesReader,
  xml,
  xlsx,
  ods,
  parquet,
  avro,
};
