import type { Mend } from "@/core/mend/suggest.ts";
import type { HeldRecord } from "@/store/held.ts";
import { idOf, type Edits } from "./held.ts";

/** What the desk of the quarantine is like, apart from the server and the screen. */
export interface Desk {
  readonly records: readonly HeldRecord[];
  /** Which of them is opened, by its place. */
  readonly at: number;
  readonly picked: ReadonlySet<string>;
  readonly edits: Edits;
  /** Why records stayed that were to be released, by record. */
  readonly stayed: Readonly<Record<string, string>>;
  /** What was done last, and what of it can be taken back. */
  readonly said: { readonly text: string; readonly undo?: readonly RecordId[] } | null;
  /** What is asked for above or beside the records. */
  readonly open: "discard" | "all" | null;
  /** The page of records that was there when all of a cause were released: what is left comes with the next. */
  readonly awaited: readonly HeldRecord[] | null;
}

export interface RecordId {
  readonly load: number;
  readonly record: number;
}

export type DeskEvent =
  /** By so many records down, or up where it is below 0. */
  | { does: "move"; by: number }
  | { does: "go"; to: number }
  | { does: "pick"; id: string }
  | { does: "pick all"; picked: boolean }
  /** A value is typed for some records. */
  | { does: "edit"; records: readonly string[]; field: string; value: string }
  /** What was typed for a record is forgotten. */
  | { does: "reset"; id: string }
  /** Suggested mends are taken over. */
  | { does: "mend"; mends: readonly Mend[] }
  | { does: "open"; what: Desk["open"] }
  | { does: "say"; said: Desk["said"] }
  /** Records have left the list; others stay, with why. */
  | { does: "gone"; gone: ReadonlySet<string>; stayed: Desk["stayed"]; said: Desk["said"] }
  /** All of a cause were worked on: what of them is left is known with the next page. */
  | { does: "await"; page: readonly HeldRecord[]; text: string }
  /** A page has come. */
  | { does: "page"; page: readonly HeldRecord[] };

export function newDesk(records: readonly HeldRecord[]): Desk {
  return { records, at: 0, picked: new Set(), edits: {}, stayed: {}, said: null, open: null, awaited: null };
}

export function nextDesk(desk: Desk, event: DeskEvent): Desk {
  switch (event.does) {
    case "move":
      return { ...desk, at: within(desk, desk.at + event.by) };
    case "go":
      return { ...desk, at: within(desk, event.to) };
    case "pick": {
      const picked = new Set(desk.picked);
      if (!picked.delete(event.id)) picked.add(event.id);
      return { ...desk, picked };
    }
    case "pick all":
      return { ...desk, picked: new Set(event.picked ? desk.records.map(idOf) : []) };
    case "edit":
      return { ...desk, edits: edited(desk.edits, event) };
    case "reset":
      return { ...desk, edits: Object.fromEntries(Object.entries(desk.edits).filter(([id]) => id !== event.id)) };
    case "mend": {
      const edits = event.mends.reduce(
        (e, { records, sets }) => sets.reduce((own, { field, to }) => edited(own, { records, field, value: to }), e),
        desk.edits,
      );
      return { ...desk, edits, picked: new Set(event.mends.flatMap((m) => m.records)) };
    }
    case "open":
      return { ...desk, open: event.what };
    case "say":
      return { ...desk, said: event.said };
    case "gone": {
      const records = desk.records.filter((h) => !event.gone.has(idOf(h)));
      const { stayed, said } = event;
      return { ...desk, records, at: within({ records }, desk.at), picked: new Set(), stayed, said, open: null };
    }
    case "await":
      return { ...desk, open: null, said: { text: event.text }, awaited: event.page };
    case "page":
      if (desk.awaited === null || desk.awaited === event.page) return desk;
      return {
        ...desk,
        records: event.page,
        at: within({ records: event.page }, desk.at),
        picked: new Set(),
        awaited: null,
      };
  }
}

function within({ records }: Pick<Desk, "records">, at: number): number {
  return Math.max(0, Math.min(records.length - 1, at));
}

function edited(edits: Edits, what: { records: readonly string[]; field: string; value: string }): Edits {
  const next = { ...edits };
  for (const id of what.records) next[id] = { ...next[id], [what.field]: what.value };
  return next;
}

/** The records that a button is about: those that are picked, or else all that are shown. */
export function chosenOf({ records, picked }: Desk): readonly HeldRecord[] {
  return picked.size > 0 ? records.filter((h) => picked.has(idOf(h))) : records;
}

/** The records that would be discarded: those that are picked, or else the one that is opened. */
export function forDiscardOf(desk: Desk): readonly HeldRecord[] {
  if (desk.picked.size > 0) return chosenOf(desk);
  const open = desk.records[desk.at];
  return open ? [open] : [];
}
