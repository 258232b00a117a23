import { grouped } from "@/core/kernel/problem.ts";

/** What is to become of a list's entries with its next version. */
export interface Draft {
  /** By entry, its cells as they are typed over. */
  readonly edits: Readonly<Record<number, readonly string[]>>;
  readonly gone: ReadonlySet<number>;
  /** Cells of entries that are new. */
  readonly fresh: readonly (readonly string[])[];
  /** Proposals that were added to the new entries, or refused. */
  readonly taken: ReadonlySet<number>;
  /** The file whose entries take the place of all. */
  readonly replacing: File | null;
}

export type DraftEvent =
  | { does: "edit"; id: number; cells: readonly string[]; column: number; value: string }
  /** An entry goes, or stays after all. */
  | { does: "take out"; id: number }
  | { does: "add"; cells: readonly string[]; proposal?: number }
  | { does: "edit new"; at: number; column: number; value: string }
  | { does: "drop new"; at: number }
  | { does: "refuse"; proposal: number }
  | { does: "replace"; file: File | null }
  | { does: "forget" };

export const NO_DRAFT: Draft = { edits: {}, gone: new Set(), fresh: [], taken: new Set(), replacing: null };

export function nextDraft(draft: Draft, event: DraftEvent): Draft {
  switch (event.does) {
    case "edit":
      return { ...draft, edits: { ...draft.edits, [event.id]: withCell(event.cells, event.column, event.value) } };
    case "take out": {
      const gone = new Set(draft.gone);
      if (!gone.delete(event.id)) gone.add(event.id);
      return { ...draft, gone };
    }
    case "add": {
      const { proposal, cells } = event;
      const taken = proposal === undefined ? draft.taken : new Set([...draft.taken, proposal]);
      return { ...draft, fresh: [...draft.fresh, cells], taken };
    }
    case "edit new":
      return {
        ...draft,
        fresh: draft.fresh.map((cells, i) => (i === event.at ? withCell(cells, event.column, event.value) : cells)),
      };
    case "drop new":
      return { ...draft, fresh: draft.fresh.filter((_, i) => i !== event.at) };
    case "refuse":
      return { ...draft, taken: new Set([...draft.taken, event.proposal]) };
    case "replace":
      return { ...draft, replacing: event.file };
    case "forget":
      return NO_DRAFT;
  }
}

function withCell(cells: readonly string[], column: number, value: string): string[] {
  return cells.map((c, i) => (i === column ? value : c));
}

/** What the next version puts in and takes out: a changed entry is one of each. */
export function changesOf({ edits, gone, fresh }: Draft): {
  changed: number;
  added: number;
  gone: number;
  add: (readonly string[])[];
  remove: number[];
} {
  const changed = Object.entries(edits).filter(([id]) => !gone.has(Number(id)));
  const added = fresh.filter((cells) => cells.some((c) => c !== ""));
  return {
    changed: changed.length,
    added: added.length,
    gone: gone.size,
    add: [...changed.map(([, cells]) => cells), ...added],
    remove: [...changed.map(([id]) => Number(id)), ...gone],
  };
}

/** The same in words; empty where nothing changes. */
export function changeWords(draft: Draft): string {
  const { changed, added, gone } = changesOf(draft);
  return [
    changed > 0 ? `${grouped(changed)} changed` : "",
    added > 0 ? `${grouped(added)} added` : "",
    gone > 0 ? `${grouped(gone)} taken out` : "",
  ]
    .filter((w) => w !== "")
    .join(", ");
}
