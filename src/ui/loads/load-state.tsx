import type { LoadRow } from "@/store/loads.ts";

const WORDS: Record<LoadRow["state"], string> = {
  queued: "waiting",
  running: "reading",
  loaded: "loaded",
  stopped: "stopped",
  failed: "failed",
  cancelled: "cancelled",
  dropped: "dropped",
  tried: "tried",
  undone: "undone",
};

/** A load's state as a word; the class gives it its weight. */
export function stateWord(state: LoadRow["state"]): { word: string; className: string } {
  const className =
    state === "stopped" || state === "failed"
      ? "held font-bold"
      : state === "running" || state === "queued"
        ? "waiting font-bold"
        : "";
  return { word: WORDS[state], className };
}
