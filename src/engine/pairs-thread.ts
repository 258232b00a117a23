import { parentPort } from "node:worker_threads";
import { Matcher } from "@/core/match/match.ts";
import type { FromPairsThread, ToPairsThread } from "./pairs.ts";

/** The thread that finds pairs beside the one that asks it to: it gets a matcher once, then stretches of records. */
const port = parentPort!;
let matcher: Matcher | null = null;

port.on("message", (message: ToPairsThread) => {
  if (message.type === "matcher") {
    matcher = Matcher.of(message.shared);
    return;
  }
  if (message.type === "end") {
    matcher = null;
    return;
  }
  const pairs = matcher!.pairs(message.options);
  const found: FromPairsThread = { at: message.at, pairs };
  port.postMessage(found, [pairs.a.buffer, pairs.b.buffer, pairs.bits.buffer, pairs.shares.buffer] as ArrayBuffer[]);
});
