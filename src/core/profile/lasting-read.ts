import type { ReadSection } from "../plan/document.ts";
import { OF_EACH, type OfEach, type ReadOptions, type ReadSettings } from "../read/settings.ts";

/**
 * How files like this one are read: what each file shows by itself is left to be found out from each,
 * unless a person has set it.
 */
export function lastingRead(found: ReadOptions, set: ReadSettings): ReadSection {
  const { escape, ...rest } = found;
  return {
    ...rest,
    ...("encoding" in rest ? { encoding: set.encoding ?? "auto" } : {}),
    ...(found.as === "delimited" ? { delimiter: set.delimiter ?? "auto" } : {}),
    ...(escape !== undefined && escape !== found.quote ? { escape } : {}),
  } as ReadSection;
}

/** The same of several files: what differs between them, and nobody has set, is found out from each again. */
export function lastingReadOf(found: readonly ReadOptions[], set: ReadSettings): ReadSection {
  const [first] = found;
  const own = lastingRead(first!, set);
  const differs = (name: OfEach): boolean =>
    (set[name] === undefined || set[name] === "auto") && found.some((f) => f[name] !== first![name]);
  const anew = differs("as") ? (["as"] as const) : OF_EACH.filter(differs);
  return anew.length > 0 ? { ...own, of_each: anew } : own;
}
