import type { UnreadableReason } from "../../kernel/block.ts";
import { refuseColumns } from "../documents.ts";

/** Why the line that names the columns can't be read, in words. */
export function headingFault(reason: UnreadableReason, encoding: string): string {
  const why: Record<UnreadableReason, string> = {
    "too-few-cells": "it is empty",
    "too-many-cells": "it has too many cells",
    quote: "a quote in it is never closed",
    encoding: `it has bytes that are not ${encoding}`,
    nul: "it has NUL bytes, so this may not be text",
    "too-long": "it is too long",
    "not-json": "it is not text",
    "key-twice": "it is not text",
    "cell-error": "it has an error",
  };
  return why[reason];
}

/** Column names as a file gives them, made distinct: a second “date” becomes “date (2)”; none, its number. */
export function distinctNames(names: readonly string[]): string[] {
  refuseColumns(names);
  const used = new Set<string>();
  /** By name, the next number that may be free. */
  const next = new Map<string, number>();
  return names.map((raw, i) => {
    const name = raw.trim() === "" ? `column ${i + 1}` : raw.trim();
    let unique = name;
    let n = next.get(name) ?? 2;
    for (; used.has(unique); n++) unique = `${name} (${n})`;
    next.set(name, n);
    used.add(unique);
    return unique;
  });
}
