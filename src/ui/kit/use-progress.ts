"use client";

import { useEffect, useState } from "react";
import { withPath } from "./with-path.ts";

export interface Progress {
  state: string;
  stage: string;
  recordsSoFar: number;
  bytesSoFar: number;
  bytesTotal: number;
  startedAt: string | null;
}

/** Follows a load by server-sent events until it ends; then calls `onEnd` once. */
export function useProgress(load: number | null, onEnd: () => void): Progress | null {
  const [progress, setProgress] = useState<Progress | null>(null);
  useEffect(() => {
    if (load === null) return;
    const source = new EventSource(withPath(`/api/loads/${load}/progress`));
    source.onmessage = (event: MessageEvent<string>) => {
      const next = JSON.parse(event.data) as Progress;
      setProgress(next);
      if (next.state !== "queued" && next.state !== "running") {
        source.close();
        onEnd();
      }
    };
    return () => source.close();
    // The caller's function changes with every drawing; the load alone says when to begin again.
    // oxlint-disable-next-line react/exhaustive-deps
  }, [load]);
  return progress;
}
