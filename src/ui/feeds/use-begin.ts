"use client";

import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import type { Plan, ReadSection } from "@/core/plan/document.ts";
import type { Profile } from "@/core/profile/facts.ts";
import { lastingReadOf } from "@/core/profile/lasting-read.ts";
import { propose, withoutReasons } from "@/core/profile/propose.ts";
import type { Reason } from "@/core/profile/reason.ts";
import type { ReadOptions, ReadSettings } from "@/core/read/settings.ts";
import { formatPart } from "@/core/read/schema.ts";
import type { PartPreview } from "@/engine/look/preview.ts";
import { previewFiles } from "@/routes/deliveries.ts";
import { ask, problemOf, type ApiProblem } from "../kit/api.ts";

/** How often to look whether enough of a file has arrived. */
const ASK_MS = 250;

interface FirstLook {
  /** Null before anything could be read. */
  readonly parts: readonly PartPreview[] | null;
  readonly problem: ApiProblem | null;
  /** Looks once more, as at files that are not known. */
  again(): void;
}

/** What the files of a delivery are by their beginnings. While they arrive, what has come of them is enough for the first records. */
export function useFirstLook(delivery: number, settings: ReadSettings, arriving: boolean): FirstLook {
  const client = useQueryClient();
  const readable = (parts: readonly PartPreview[]): PartPreview[] => parts.filter((p) => p.rows.length > 0);
  const { data, error } = useQuery({
    queryKey: ["first look", delivery, settings, arriving],
    queryFn: ({ signal }) => ask(previewFiles, { params: { id: delivery }, body: { read: settings }, signal }),
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) => (arriving && readable(state.data?.parts ?? []).length === 0 ? ASK_MS : false),
  });
  const parts = useMemo(() => {
    if (!data) return null;
    if (!arriving) return data.parts;
    // What breaks off only has not arrived yet.
    const come = readable(data.parts).map((p) => ({ ...p, error: null }));
    return come.length > 0 ? come : null;
  }, [data, arriving]);
  return {
    parts,
    problem: error ? problemOf(error) : null,
    again: () => void client.resetQueries({ queryKey: ["first look", delivery] }),
  };
}

/** How the whole delivery is read: as its parts were, when they are of one format; undefined before that can be said. */
export function readOfAll(parts: readonly PartPreview[] | null, settings: ReadSettings): ReadSection | undefined {
  const first = parts?.find((p) => p.error === null || p.rows.length > 0);
  if (!parts || !first || parts.some((p) => p.error !== null)) return undefined;
  const withSheets = "sheets" in formatPart(first.read.as).settings;
  const sheets = withSheets ? parts.flatMap((p) => p.read.sheets ?? []) : undefined;
  const read = lastingReadOf(
    parts.map((p) => p.read),
    settings,
  );
  return { ...read, ...(sheets ? { sheets: [...new Set(sheets)] } : {}) };
}

interface Proposed {
  readonly plan: Plan;
  readonly lines: readonly Reason[];
  readonly rejected: ReadonlySet<Reason>;
}

/**
 * A contract made of a profile, and what a person has decided of its lines otherwise than they stand: taken out, or,
 * where it has to be asked, put in.
 */
export function useProposal(done: Profile | null, feed: string, read: ReadSection | undefined) {
  const [turned, setTurned] = useState<ReadonlySet<Reason>>(new Set());
  const proposal = useMemo(
    // Of nothing nothing is proposed: a contract has a field at least.
    () => (done && read && done.columns.length > 0 ? propose(done, { feed, read }) : null),
    [done, read, feed],
  );
  const proposed = useMemo((): Proposed | null => {
    if (!proposal) return null;
    const rejected = new Set(proposal.reasons.filter((r) => (r.ask ?? false) !== turned.has(r)));
    return { plan: withoutReasons(proposal, rejected), lines: proposal.reasons, rejected };
  }, [proposal, turned]);
  return {
    proposed,
    turn(line: Reason): void {
      const next = new Set(turned);
      if (!next.delete(line)) next.add(line);
      setTurned(next);
    },
    asItStands: () => setTurned(new Set()),
  };
}

/** The settings that a person has made: what differs from what was found, and what was set before. */
export function changed(found: ReadOptions, next: ReadOptions, before: ReadSettings): ReadSettings {
  if (next.as !== found.as) return { as: next.as };
  const settings: Record<string, unknown> = { ...before };
  for (const key of new Set([...Object.keys(found), ...Object.keys(next)])) {
    const [a, b] = [found, next].map((o) => o[key]);
    if (JSON.stringify(a) === JSON.stringify(b)) continue;
    if (b === undefined) delete settings[key];
    else settings[key] = b;
  }
  return settings as ReadSettings;
}
