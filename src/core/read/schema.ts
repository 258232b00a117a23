import { z } from "zod";
import { unionOf } from "../kernel/union.ts";
import { FORMATS } from "./formats.ts";
import type { FormatPart } from "./part.ts";
import { SETTINGS, optional, type ReadOptions, type ReadSettings } from "./settings.ts";

/** Every format, whatever its settings are. */
export const FORMAT_PARTS: readonly FormatPart[] = FORMATS;
export const FORMAT_IDS: readonly string[] = FORMAT_PARTS.map((f) => f.id);

/** A format by its id; throws for one that there isn't, which no plan can have. */
export function formatPart(id: string): FormatPart {
  const found = FORMAT_PARTS.find((f) => f.id === id);
  if (!found) throw new Error(`there is no format ${id}`);
  return found;
}

const ofAll = optional({ unpacked_mb: SETTINGS.unpacked_mb, of_each: SETTINGS.of_each });

/** The read section of a plan: a format and its settings. */
export const readSectionSchema = unionOf<ReadOptions>(
  "as",
  FORMAT_PARTS.map(({ id, settings }) => z.strictObject({ as: z.literal(id), ...settings, ...ofAll })),
).default({ as: "delimited", encoding: "auto", delimiter: "auto", quote: '"', header: true, skip: 0 });

/** Settings of any format, none of them needed: what a person has set so far while a file is looked at. */
export const readSettingsSchema = z.strictObject({
  as: z.enum(["auto", ...FORMAT_IDS]).optional(),
  ...optional(Object.assign({}, ...FORMAT_PARTS.map((f) => f.settings)) as z.ZodRawShape),
  ...optional(SETTINGS),
}) as unknown as z.ZodType<ReadSettings, ReadSettings>;
