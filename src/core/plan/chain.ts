import type { AfterOutcome } from "./after.ts";
import type { Plan } from "./document.ts";

/** A feed with those that get its accepted records. */
export interface Giving {
  readonly name: string;
  readonly gives: readonly string[];
}

/** The feeds that a plan gives its accepted records to, after loads with such an outcome where one is given; none for a feed that has no plan yet. */
export function givesTo(plan: Plan | null, outcome?: AfterOutcome): string[] {
  return (plan?.after ?? []).flatMap((a) =>
    a.do === "feed" && (outcome === undefined || a.on.includes(outcome)) ? [a.feed] : [],
  );
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

/** How the last load of a feed ended, or that it has not. */
export interface LastLoad {
  readonly id: number;
  readonly delivery: number;
  readonly state: string;
  /** Whether it accepted any record, and held any. */
  readonly accepted: boolean;
  readonly held: boolean;
}

/** Where a chain has stopped: the feed, its load, and whether that ended badly or what it accepted has not been handed on. */
export interface ChainStop {
  readonly feed: string;
  readonly load: number;
  readonly delivery: number;
  readonly why: "ended" | "not handed on";
  /** How the load ended. */
  readonly state: string;
}

const ENDED_BADLY: ReadonlySet<string> = new Set(["stopped", "failed", "cancelled"]);
const UNDER_WAY: ReadonlySet<string> = new Set(["queued", "running"]);

/**
 * The first feed of a chain from which it does not go on: its last load came to no good end, or the feeds that it gives
 * to have had none since. Null where it went through, is under way, or has not begun; what a person has undone or dropped is no stop.
 */
export function whereStopped(
  chain: readonly string[],
  {
    gives,
    last,
  }: {
    gives: (feed: string, outcome: AfterOutcome) => readonly string[];
    last: (feed: string) => LastLoad | undefined;
  },
): ChainStop | null {
  if (chain.some((feed) => UNDER_WAY.has(last(feed)?.state ?? ""))) return null;
  for (const feed of chain) {
    const own = last(feed);
    if (!own) continue;
    const { id: load, delivery, state } = own;
    if (ENDED_BADLY.has(state)) return { feed, load, delivery, state, why: "ended" };
    if (state !== "loaded" || !own.accepted) continue;
    const next = gives(feed, own.held ? "loaded with held" : "loaded").filter((to) => chain.includes(to));
    const behind = next.filter((to) => (last(to)?.id ?? 0) < load);
    if (behind.length > 0) return { feed, load, delivery, state, why: "not handed on" };
  }
  return null;
}
