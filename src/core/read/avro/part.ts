import type { FormatPart } from "../part.ts";
import { sharedSettings } from "../settings.ts";

/** Avro object container files. */
export const avro: FormatPart<"avro"> = {
  id: "avro",
  title: "Avro",
  settings: sharedSettings("each", "arrays"),
  begins: { with: "Obj\u0001", why: "it begins as an Avro container does" },
  promised: { ends: /\.avro$/i, is: "an Avro file" },
};
