import { once } from "node:events";
import { availableParallelism } from "node:os";
import type { Matcher, Pairs, SharedMatcher } from "@/core/match/match.ts";
import { giveBack, takeThread } from "./threads.ts";

/** Incoming records between two looks at whether anybody has cancelled. */
const STRETCH = 1_000;
/** With fewer records to be compared a second thread costs more than it saves. */
const WORTH_A_THREAD = 8 * STRETCH;

export interface PairsWanted {
  /** Incoming records, from this one to before that one; all unless said. */
  readonly from?: number;
  readonly to?: number;
  /** Only known records below this number. */
  readonly before?: number;
  readonly leastScore?: number;
  /** Only so many of each record's best. */
  readonly best?: number;
}

export type ToPairsThread =
  | { readonly type: "matcher"; readonly shared: SharedMatcher }
  | { readonly type: "stretch"; readonly at: number; readonly options: PairsWanted }
  /** The matcher is needed no more. */
  | { readonly type: "end" };
export interface FromPairsThread {
  readonly at: number;
  readonly pairs: Pairs;
}

/**
 * Finds pairs stretch by stretch, so that the process can tend to other things, and on machines with
 * more than one processor in a second thread as well; the pairs and their order are the same.
 * @param thread the bundled pairs-thread; null to do without
 * @param rest is waited for after each stretch of this thread; what it throws ends the search
 */
export async function findPairs(
  matcher: Matcher,
  wanted: PairsWanted,
  thread: URL | null,
  rest: () => Promise<void> = async () => {},
): Promise<Pairs> {
  const { from = 0, to = matcher.incoming.length } = wanted;
  const parts: Pairs[] = [];
  const stretches = Math.ceil((to - from) / STRETCH);
  let next = 0;
  const stretch = (at: number): PairsWanted => ({
    ...wanted,
    from: from + at * STRETCH,
    to: Math.min(to, from + (at + 1) * STRETCH),
  });
  const other = thread && to - from >= WORTH_A_THREAD && availableParallelism() > 1 ? takeThread(thread) : null;
  const beside = async (): Promise<void> => {
    if (!other) return;
    other.postMessage({ type: "matcher", shared: matcher.shared() } satisfies ToPairsThread);
    while (next < stretches) {
      const at = next++;
      other.postMessage({ type: "stretch", at, options: stretch(at) } satisfies ToPairsThread);
      const [found] = (await once(other, "message")) as [FromPairsThread];
      parts[found.at] = found.pairs;
    }
  };
  const here = async (): Promise<void> => {
    while (next < stretches) {
      const at = next++;
      parts[at] = matcher.pairs(stretch(at));
      // The process has other things to tend to as well.
      await new Promise((resolve) => setImmediate(resolve));
      await rest();
    }
  };
  let well = false;
  try {
    await Promise.all([beside(), here()]);
    well = true;
  } finally {
    // Where one of the two has failed the other need not go on.
    next = stretches;
    if (other && well) {
      other.postMessage({ type: "end" } satisfies ToPairsThread);
      giveBack(other);
    } else await other?.terminate();
  }
  return concatPairs(parts, matcher.fields.length);
}

function concatPairs(parts: readonly Pairs[], width: number): Pairs {
  const count = parts.reduce((n, p) => n + p.count, 0);
  const all = {
    count,
    a: new Int32Array(count),
    b: new Int32Array(count),
    bits: new Float32Array(count),
    shares: new Float32Array(count * width),
  };
  let at = 0;
  for (const p of parts) {
    all.a.set(p.a.subarray(0, p.count), at);
    all.b.set(p.b.subarray(0, p.count), at);
    all.bits.set(p.bits.subarray(0, p.count), at);
    all.shares.set(p.shares.subarray(0, p.count * width), at * width);
    at += p.count;
  }
  return all;
}
