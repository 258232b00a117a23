"use client";

import { useRouter } from "next/navigation";
import { useMemo, type Dispatch } from "react";
import { differences } from "@/core/plan/difference.ts";
import type { Plan } from "@/core/plan/document.ts";
import { Link } from "../kit/link.tsx";
import { counted } from "../kit/words.ts";
import type { HistoryEvent, PlanHistory } from "./history.ts";

/** Changes of a plan that are told one by one. */
const SHOWN = 6;

/** Which version of a plan this is, and what can be done with it as it is now. */
export function PlanHeading({
  feed,
  title,
  shown,
  newest,
  versions,
  history,
  tell,
  trying,
  saving,
}: {
  feed: { name: string; title: string };
  title: string;
  shown: { version: number; note: string };
  newest: number;
  versions: readonly number[];
  history: PlanHistory;
  tell: Dispatch<HistoryEvent>;
  trying: { begin: () => void; off: boolean; hint: string };
  saving: { begin: () => void; off: boolean };
}) {
  const router = useRouter();
  const changed = history.at > 0;
  return (
    <div className="flex items-end justify-between gap-4">
      <div>
        <p className="faint">
          <Link href={`/feeds/${feed.name}`}>{feed.title}</Link> / plan,{" "}
          {shown.version === newest ? `version ${shown.version}` : `version ${shown.version} of ${newest}`}
          {changed ? ", changed and not saved" : `: ${shown.note}`}
          {versions.length > 1 && !changed && (
            <>
              {" · "}
              <Link
                className="underline"
                href={`/feeds/${feed.name}/versions?from=${Math.max(1, shown.version - 1)}&to=${shown.version}`}
              >
                what it changed
              </Link>
            </>
          )}
        </p>
        <h1>{title}</h1>
      </div>
      <div className="flex flex-wrap items-center justify-end gap-3">
        {versions.length > 1 && (
          <label className="flex items-center gap-1.5 text-sm whitespace-nowrap">
            version
            <select
              className="select select-sm w-20"
              value={shown.version}
              onChange={(e) => router.push(`/feeds/${feed.name}/plan?version=${e.target.value}`)}
            >
              {versions.map((v) => (
                <option key={v}>{v}</option>
              ))}
            </select>
          </label>
        )}
        <button
          type="button"
          className="plain whitespace-nowrap disabled:opacity-40"
          onClick={() => tell({ does: "undo" })}
          disabled={!changed}
        >
          Undo <kbd>Ctrl Z</kbd>
        </button>
        <button
          type="button"
          className="plain disabled:opacity-40"
          onClick={() => tell({ does: "redo" })}
          disabled={history.at === history.plans.length - 1}
        >
          Redo
        </button>
        <button type="button" className="btn btn-line" disabled={trying.off} onClick={trying.begin} title={trying.hint}>
          Try on the latest delivery
        </button>
        <button
          type="button"
          className="btn btn-primary"
          disabled={(!changed && shown.version === newest) || saving.off}
          onClick={saving.begin}
        >
          Save as version {newest + 1}…
        </button>
      </div>
    </div>
  );
}

/** What a person is about to save, in words. */
export function PlanChanges({ was, is }: { was: Plan; is: Plan }) {
  const found = useMemo(() => differences(was, is), [was, is]);
  const shown = found.slice(0, SHOWN);
  return (
    <ul className="w-full text-sm" aria-label="What is different">
      {shown.map((d, i) => (
        <li key={i} className="truncate" title={`${d.was ?? "not there"} → ${d.is ?? "not there"}`}>
          {d.stage}: {d.what}, {d.was === null ? "new" : <del className="held">{d.was}</del>}
          {d.is === null ? ", taken out" : d.was === null ? `: ${d.is}` : ` now ${d.is}`}
        </li>
      ))}
      {found.length > shown.length && (
        <li className="faint">and {counted(found.length - shown.length, "change")} more</li>
      )}
    </ul>
  );
}
