"use client";

import { useRouter } from "next/navigation";
import { useEffect, useState } from "react";
import type { LoadRow } from "@/store/loads.ts";
import { stateWord } from "./load-state.tsx";
import { isTyping } from "../shell/nav.tsx";
import { MiniSift } from "./sift.tsx";
import { Link } from "../kit/link.tsx";
import { useProgress } from "../kit/use-progress.ts";
import { grouped, moment, recordsHref } from "../kit/words.ts";

/** Loads as rows, the newest first; arrow keys move, Enter opens. */
export function LoadList({ loads, now, showFeed }: { loads: LoadRow[]; now: string; showFeed: boolean }) {
  const router = useRouter();
  const [at, setAt] = useState(-1);
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (isTyping(event.target) || document.querySelector("dialog[open]")) return;
      if (event.key === "ArrowDown" || event.key === "ArrowUp") {
        event.preventDefault();
        setAt((i) => {
          const next = Math.max(0, Math.min(loads.length - 1, i + (event.key === "ArrowDown" ? 1 : -1)));
          document.getElementById(`load-row-${next}`)?.scrollIntoView({ block: "nearest" });
          return next;
        });
      } else if (event.key === "Enter" && at >= 0 && loads[at] && event.target === document.body) {
        router.push(`/loads/${loads[at].id}`);
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [at, loads, router]);

  return (
    <table className="ledger rows">
      <thead>
        <tr>
          <th>came</th>
          <th className="n">load</th>
          {showFeed && <th>feed</th>}
          <th>from</th>
          <th>sift</th>
          <th className="n">read</th>
          <th className="n">loaded</th>
          <th className="n">held</th>
          <th>state</th>
          <th>why, or what differs</th>
        </tr>
      </thead>
      <tbody>
        {loads.map((load, i) => (
          <Row
            key={load.id}
            load={load}
            now={new Date(now)}
            showFeed={showFeed}
            id={`load-row-${i}`}
            selected={i === at}
          />
        ))}
      </tbody>
    </table>
  );
}

function Row({
  load,
  now,
  showFeed,
  id,
  selected,
}: {
  load: LoadRow;
  now: Date;
  showFeed: boolean;
  id: string;
  selected: boolean;
}) {
  const router = useRouter();
  const running = load.state === "queued" || load.state === "running";
  const progress = useProgress(running ? load.id : null, () => router.refresh());
  const { word, className } = stateWord(load.state);
  const loaded = load.state === "loaded" ? (load.inserted ?? 0) + (load.updated ?? 0) + (load.unchanged ?? 0) : null;
  const share =
    progress && progress.bytesTotal > 0 ? Math.floor((100 * progress.bytesSoFar) / progress.bytesTotal) : null;
  return (
    <tr id={id} aria-selected={selected}>
      <td className="faint whitespace-nowrap">{moment(load.askedAt, now)}</td>
      <td className="n">
        <Link className="plain" href={`/loads/${load.id}`}>
          {load.id}
        </Link>
      </td>
      {showFeed && (
        <td>
          <Link className="font-bold" href={`/feeds/${load.feed}`}>
            {load.feedTitle}
          </Link>
        </td>
      )}
      <td className="max-w-64 [overflow-wrap:anywhere]" title={load.files.join(", ")}>
        {load.sender || load.files.join(", ")}
      </td>
      <td>
        <Link href={`/loads/${load.id}`} aria-label={`The sift of load ${load.id}`} tabIndex={-1}>
          <MiniSift strata={load.sift} />
        </Link>
      </td>
      <td className="n">
        {running ? (
          grouped(progress?.recordsSoFar ?? load.recordsSoFar)
        ) : load.read === null ? (
          ""
        ) : (
          <Count load={load.id} n={load.read} filter={{}} />
        )}
      </td>
      <td className="n loaded">
        {loaded === null ? "" : <Count load={load.id} n={loaded} filter={{ outcome: "loaded" }} />}
      </td>
      <td className="n held font-bold">
        {load.held ? <Count load={load.id} n={load.held} filter={{ outcome: "held" }} /> : ""}
      </td>
      <td className={`whitespace-nowrap ${className}`}>
        {word}
        {load.state === "running" && share !== null && ` ${share} %`}
      </td>
      <td className="faint max-w-96" title={whatDiffers(load)}>
        <span className="line-clamp-2">{whatDiffers(load)}</span>
      </td>
    </tr>
  );
}

function Count({ load, n, filter }: { load: number; n: number; filter: Record<string, string> }) {
  return (
    <Link className="count" href={recordsHref(load, filter)}>
      {grouped(n)}
    </Link>
  );
}

/** What a steward should know of a load in half a line. */
function whatDiffers(load: LoadRow): string {
  if (load.state === "failed") return load.error?.message ?? "";
  if (load.state === "stopped") return load.closedGates.join(" ");
  if (load.state === "dropped") return load.dropped ?? "";
  if (load.state === "undone") return load.undone ?? "";
  if (load.letThrough) return `let through: ${load.letThrough}`;
  const drift = load.drift?.map((d) => `${d.kind} ${d.name}`) ?? [];
  const parts = [
    drift.length > 2 ? `${drift.length} columns differ` : drift.join(", "),
    load.again ? "loaded again" : "",
    load.topReason,
  ];
  return parts.filter((p) => p !== "").join("; ");
}
