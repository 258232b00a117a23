import { csvw } from "./csvw.ts";
import { jsonSchema } from "./json-schema.ts";
import { tableSchema } from "./table-schema.ts";

/** Every standard, in the order in which a document is asked whether it is one: one line each. */
export const STANDARD_PARTS = [csvw, tableSchema, jsonSchema] as const;
