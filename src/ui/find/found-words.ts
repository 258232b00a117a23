import type { FoundRecord } from "@/engine/look/found-record.ts";

/** Where the quarantine or the list of a load has the record. */
export function placeOf({ load, record, state }: Pick<FoundRecord, "load" | "record" | "state">): string {
  if (state === "held" || state === "overtaken") return `/quarantine?load=${load}`;
  return state === "waiting" ? `/matches?load=${load}` : `/loads/${load}/records/${record}`;
}
