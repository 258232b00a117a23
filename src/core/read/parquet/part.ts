import type { FormatPart } from "../part.ts";
import { sharedSettings } from "../settings.ts";

/** Apache Parquet. */
export const parquet: FormatPart<"parquet"> = {
  id: "parquet",
  title: "Parquet",
  settings: sharedSettings("each", "arrays"),
  begins: { with: "PAR1", why: "it begins with PAR1" },
  promised: { ends: /\.parquet$/i, is: "a Parquet file" },
};
