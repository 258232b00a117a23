import type { WritingKind } from "@/store/writings.ts";

/** A row of the target as the model has it: what is in it, and whose it is. */
export interface Row {
  /** Its columns besides the key, "" where there is nothing. */
  readonly values: readonly string[];
  /** The load and record that it came from. */
  readonly from: string;
  /** The writing that left it as it is; null where that is none of ours. */
  readonly writing: number | null;
  /** Whether the last to touch it was Good Sieve. */
  readonly ours: boolean;
  /** Which transaction wrote this version of it. */
  readonly version: number;
}

export interface Change {
  readonly key: string;
  readonly before: Row | null;
  /** What the row is left as; null where it was taken away. */
  readonly after: Row | null;
}

export interface Done {
  readonly id: number;
  readonly kind: WritingKind;
  readonly load: number;
  readonly act: number;
  readonly undoes: number | null;
  undoneBy: number | null;
  left: number;
  readonly changes: readonly Change[];
}

/** The simple model: a map of rows, and what each writing did to them. */
export class Model {
  readonly rows = new Map<string, Row>();
  readonly writings: Done[] = [];
  version = 0;

  apply(changes: readonly Change[]): void {
    for (const { key, after } of changes) {
      if (after) this.rows.set(key, after);
      else this.rows.delete(key);
    }
  }

  /** What another program does to a row; a new one has `from` none of our loads. */
  foreign(key: string, values: readonly string[] | null): void {
    this.version++;
    const old = this.rows.get(key);
    if (!values) this.rows.delete(key);
    else {
      const [from, writing] = [old?.from ?? "0:0", old?.writing ?? null];
      this.rows.set(key, { values, from, writing, ours: false, version: this.version });
    }
  }

  /** The row that came from a load's record and its key, or null where it is no longer there. */
  rowFrom(from: string): [string, Row] | null {
    return [...this.rows].find(([, row]) => row.from === from) ?? null;
  }

  /** What undoing writings does, one after another; applies it. */
  undo(victims: readonly Done[], over: boolean): { changes: Change[]; left: number }[] {
    return victims.map((victim) => {
      const result = this.undoOne(victim, over);
      this.apply(result.changes);
      return result;
    });
  }

  /** Whether what stands at a key is what a writing put there, or what others have made of that. */
  stillOf(victim: Done, key: string): boolean {
    if (this.rows.get(key)?.writing === victim.id) return true;
    const later = this.writings.slice(this.writings.indexOf(victim) + 1);
    return later.some((w) => w.changes.some((c) => c.key === key && c.before?.writing === victim.id));
  }

  private isUndone(writing: number | null): boolean {
    const done = this.writings.find((w) => w.id === writing);
    return done !== undefined && done.undoneBy !== null;
  }

  /** What an undo had undone stands again when it is undone, and so on. */
  setUndone(w: Done, by: number | null): void {
    const others = this.writings.filter((u) => u.undoes === w.id && u.undoneBy === null);
    w.undoneBy = by ?? others.at(-1)?.id ?? null;
    const undone = this.writings.find((x) => x.id === w.undoes);
    if (undone) this.setUndone(undone, w.undoneBy === null ? w.id : null);
  }

  /** What undoing one writing changes: rows that stand as it left them, and with `over` also the others. */
  undoOne(victim: Done, over: boolean): { changes: Change[]; left: number } {
    const changes: Change[] = [];
    let left = 0;
    for (const { key, before, after } of victim.changes) {
      const now = this.rows.get(key) ?? null;
      // Another program's version is no writing's, although it carries one's number.
      const back = before && {
        ...before,
        writing: before.ours ? before.writing : null,
        ours: true,
        version: this.version,
      };
      const stands = after === null ? now === null : now !== null && now.ours && now.writing === after.writing;
      const same = before === null ? now === null : now !== null && sameValues(now, before);
      // What it took away and has been undone in the meantime would come back for nobody.
      const undone = before !== null && after === null && victim.kind !== "undo" && this.isUndone(before.writing);
      if (stands && undone && !over) left++;
      else if (stands) changes.push({ key, before: now, after: back });
      else if (before === null && now === null) continue;
      else if (same) continue;
      // A row that it put there and that was taken away is gone; who has put another there since has nothing of it.
      else if (before === null && victim.kind !== "undo" && !this.stillOf(victim, key)) continue;
      else if (over) changes.push({ key, before: now, after: back });
      else left++;
    }
    return { changes, left };
  }
}

/** Whether rows have the same in all columns. */
export function sameValues(a: Row, b: Row): boolean {
  return a.values.every((v, i) => v === b.values[i]);
}
