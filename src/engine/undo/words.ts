import { LEFT_BECAUSE, type LeftBecause } from "@/core/kernel/writing.ts";
import { counted, listed } from "@/core/kernel/problem.ts";

/** Why a row is left, in words. */
export function leftWords(because: LeftBecause, by: number | null, detail: string): string {
  switch (because) {
    case "changed":
      return by === null ? "another program has changed the row since" : `writing ${by} has changed the row since`;
    case "gone":
      return "the row has been taken away since";
    case "another":
      return by === null ? "another program has put a row there since" : `writing ${by} has put a row there since`;
    case "undone":
      return "what had put the row there was undone since";
    case "referred":
      return detail;
    case "rule":
      return `it would break the target’s rule ${detail}`;
  }
}

/** The rows of an undo that were left as they are, in words: “3 rows that writing 12 has changed since”. */
export function leftSummary(left: Readonly<Record<LeftBecause, number>>): string {
  const words: Record<LeftBecause, string> = {
    changed: "changed since",
    gone: "taken away since",
    another: "put there anew since",
    undone: "of what was undone since",
    referred: "referred to by other tables",
    rule: "that a rule of the target keeps out",
  };
  return listed(LEFT_BECAUSE.filter((b) => left[b] > 0).map((b) => `${counted(left[b], "row")} ${words[b]}`));
}
