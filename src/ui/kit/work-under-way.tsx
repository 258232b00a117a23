"use client";

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { lookAtWork, stopLongWork } from "@/routes/work.ts";
import { ask } from "./api.ts";
import { grouped } from "./words.ts";

/** How often it is asked how far work is. */
const ASK_MS = 400;

/** A name for long work that is about to be asked for. */
export const newWork = (): string =>
  Array.from({ length: 4 }, () => Math.random().toString(36).slice(2, 8).padEnd(6, "0")).join("-");

/** How far long work is, and a way to stop it: what it did is taken back then, as its own answer says. */
export function WorkUnderWay({ work, stages }: { work: string; stages: Readonly<Record<string, string>> }) {
  const [stopping, setStopping] = useState(false);
  const { data } = useQuery({
    queryKey: ["work", work],
    queryFn: ({ signal }) => ask(lookAtWork, { params: { work }, signal }),
    refetchInterval: ASK_MS,
    retry: false,
  });
  const at = data?.at ?? null;
  return (
    <p className="mt-2 flex flex-wrap items-center gap-3" role="status">
      <progress className="progress w-48" aria-label="How far it is" {...(at ? { value: at.done, max: at.of } : {})} />
      <span className="faint text-sm tabular-nums">
        {at ? `${stages[at.stage] ?? at.stage} ${grouped(at.done)} of ${grouped(at.of)}` : "Beginning…"}
      </span>
      <button
        type="button"
        className="plain"
        disabled={stopping}
        onClick={() => {
          setStopping(true);
          // That there is nothing to stop any more is said by the work's own answer.
          ask(stopLongWork, { params: { work } }).catch(() => setStopping(false));
        }}
      >
        {stopping ? "Stopping…" : "Stop it"}
      </button>
    </p>
  );
}
