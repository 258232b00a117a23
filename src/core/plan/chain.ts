import type { Plan } from "./document.ts";

/** A feed with those that get its accepted records. */
export interface Giving {
  readonly name: string;
  readonly gives: readonly string[];
}

/** The feeds that a plan gives its accepted records to; none for a feed that has no plan yet. */
export function givesTo(plan: Plan | null): string[] {
  return (plan?.after ?? []).flatMap((a) => (a.do === "feed" ? [a.feed] : []));
}

/**
 * The chains of feeds: those that give to one another, each from first to last, so that one that gets comes after all that
 * give to it (Kahn, 1962; by name where the order is open). Feeds that go round in a circle come last, in the order of their names.
 */
export function chainsOf(feeds: readonly Giving[]): string[][] {
  const known = new Set(feeds.map((f) => f.name));
  const gives = new Map(feeds.map((f) => [f.name, f.gives.filter((to) => known.has(to))]));
  const gets = new Map<string, string[]>([...known].map((name) => [name, []]));
  for (const [from, to] of gives) for (const name of to) gets.get(name)!.push(from);
  const seen = new Set<string>();
  const chains: string[][] = [];
  for (const start of [...known].sort()) {
    if (seen.has(start) || gives.get(start)!.length + gets.get(start)!.length === 0) continue;
    const together: string[] = [];
    const open = [start];
    for (let name = open.pop(); name !== undefined; name = open.pop()) {
      if (seen.has(name)) continue;
      seen.add(name);
      together.push(name);
      open.push(...gives.get(name)!, ...gets.get(name)!);
    }
    chains.push(inOrder(together.sort(), gets));
  }
  return chains;
}

function inOrder(names: readonly string[], gets: ReadonlyMap<string, readonly string[]>): string[] {
  const placed: string[] = [];
  let left = [...names];
  while (left.length > 0) {
    const ready = left.filter((name) => gets.get(name)!.every((from) => placed.includes(from)));
    // Those that wait for one another have no order.
    const next = ready.length > 0 ? ready : left;
    placed.push(...next);
    left = left.filter((name) => !next.includes(name));
  }
  return placed;
}
