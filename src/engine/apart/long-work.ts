import type { ApartLimits } from "./apart.ts";
import type { WorkAt } from "./work-at.ts";

/** Long work that a person waits for: how far each piece is, and how it is stopped, by the name that who asked gave it. */
interface LongWork {
  at: WorkAt | null;
  readonly stop: AbortController;
}

// The web server's parts may each have a copy of this module; there is one list for all of them.
const holder = globalThis as { sieveLongWork?: Map<string, LongWork> };
const all = (holder.sieveLongWork ??= new Map<string, LongWork>());

/** Does a piece of work that can be asked how far it is, and be stopped, as long as it goes on; one without a name can't. */
export async function asLongWork<T>(
  name: string | undefined,
  work: (how: Pick<ApartLimits, "onWork" | "stop">) => Promise<T>,
): Promise<T> {
  if (name === undefined || all.has(name)) return await work({});
  const own: LongWork = { at: null, stop: new AbortController() };
  all.set(name, own);
  try {
    return await work({ onWork: (at) => void (own.at = at), stop: own.stop.signal });
  } finally {
    all.delete(name);
  }
}

/** How far a piece of work is; null where there is none of the name, or it has not said yet. */
export function workAt(name: string): WorkAt | null {
  return all.get(name)?.at ?? null;
}

/** Asks a piece of work to stop: it takes back what it did, and ends as `stopped`, unless it is just done. False where there is none. */
export function stopWork(name: string): boolean {
  const own = all.get(name);
  own?.stop.abort();
  return own !== undefined;
}
