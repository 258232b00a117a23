import { SieveError, listed } from "../../kernel/problem.ts";
import type { OutputPart } from "./part.ts";
import { OUTPUTS } from "./parts.ts";

/** The format that a file's name says; CSV where it says none. */
export function outputOf(name: string): OutputPart {
  const extension = /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase() ?? "";
  return OUTPUTS.find((o) => o.extensions.includes(extension)) ?? OUTPUTS[0]!;
}

export const OUTPUT_IDS = OUTPUTS.map((o) => o.id);

/** The format that is called so. Throws `out-unfit`. */
export function outputCalled(id: string): OutputPart {
  const known = OUTPUTS.find((o) => o.id === id || o.extensions.includes(id));
  if (known) return known;
  throw new SieveError("out-unfit", `There is no format ${id} to write.`, { hint: `One of ${listed(OUTPUT_IDS)}.` });
}
