import { listed } from "../kernel/problem.ts";
import type { Doubt } from "./part.ts";

/** A doubt in words: “its encoding may be windows-1250, which reads Kőrösi, or windows-1252, which reads Kõrösi”. */
export function doubtWords({ setting, readings }: Doubt): string {
  if (setting === "skip_end") {
    return `its last line, ${listed(readings[0]!.shows)}, may be ${readings[1]!.says.endsWith("a note") ? "a note" : "a sum of those above it"} and no record`;
  }
  if (setting === "below") return `${readings[0]!.says}: ${listed(readings[0]!.shows)}? It may be either`;
  if (setting === "header") return `${readings[0]!.says}: ${listed(readings[0]!.shows)}? It may be either`;
  const each = readings.map(({ says, shows }) => `${says}, which reads ${listed(shows.slice(0, 2))}`);
  return `its ${setting} may be ${each.join(", or ")}`;
}
