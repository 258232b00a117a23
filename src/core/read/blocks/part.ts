import type { FormatPart } from "../part.ts";
import { TEXT_SETTINGS } from "../settings.ts";

/** Records as blocks of lines, each a name and a value. */
export const blocks: FormatPart<"blocks"> = {
  id: "blocks",
  title: "Blocks of names and values",
  settings: TEXT_SETTINGS,
};
