import { grouped } from "../kernel/problem.ts";
import type { ColumnProfile, Profile } from "./facts.ts";

/** What is different between two profiles, by column of either. */
export interface ColumnChange {
  readonly column: string;
  readonly kind: "new" | "gone" | "changed";
  /** In words, the weightiest first; none for a column that is as it was. */
  readonly changes: readonly string[];
}

/** Shares that differ by less than this are taken for the same. */
const SMALL = 0.02;

/** Compares the columns of a delivery with those of an earlier one, by name. */
export function compareProfiles(before: Profile, now: Profile): ColumnChange[] {
  const earlier = new Map(before.columns.map((c) => [c.name, c]));
  const found: ColumnChange[] = now.columns.map((column) => {
    const was = earlier.get(column.name);
    earlier.delete(column.name);
    if (!was) return { column: column.name, kind: "new", changes: ["a new column"] };
    return { column: column.name, kind: "changed", changes: changesOf(was, column) };
  });
  for (const name of earlier.keys()) found.push({ column: name, kind: "gone", changes: ["no longer there"] });
  return found;
}

function changesOf(was: ColumnProfile, is: ColumnProfile): string[] {
  const changes: string[] = [];
  const percent = (share: number): string => `${(share * 100).toFixed(1)} %`;
  const share = (part: number, whole: number): number => (whole === 0 ? 0 : part / whole);
  const [typeBefore, typeNow] = [mainType(was), mainType(is)];
  if (typeBefore !== typeNow) changes.push(`${typeNow}, was ${typeBefore}`);
  const [filledBefore, filledNow] = [share(was.filled, was.records), share(is.filled, is.records)];
  if (Math.abs(filledNow - filledBefore) > SMALL)
    changes.push(`${percent(filledNow)} filled, was ${percent(filledBefore)}`);
  if (isCodeLike(was) && isCodeLike(is)) {
    const known = new Set(was.common.map((v) => v.value));
    const fresh = is.common.filter((v) => !known.has(v.value));
    const there = new Set(is.common.map((v) => v.value));
    const gone = was.common.filter((v) => !there.has(v.value));
    if (fresh.length > 0) changes.push(`new: ${some(fresh.map((v) => v.value))}`);
    if (gone.length > 0) changes.push(`no longer: ${some(gone.map((v) => v.value))}`);
  }
  if (is.length.most > was.length.most && is.length.most > was.length.most * 1.2) {
    changes.push(`up to ${grouped(is.length.most)} characters, was ${grouped(was.length.most)}`);
  }
  if (was.numbers && is.numbers && typeBefore === typeNow && typeNow !== "text") {
    const spread = Math.max(was.numbers.spread, is.numbers.spread);
    // Means of two samples that differ by more than their errors allow (Welch, 1947), and by enough to matter.
    const error = Math.sqrt(was.numbers.spread ** 2 / was.numbers.count + is.numbers.spread ** 2 / is.numbers.count);
    const difference = is.numbers.mean - was.numbers.mean;
    if (Math.abs(difference) > 4 * error && Math.abs(difference) > 0.25 * spread) {
      changes.push(`mean ${short(is.numbers.mean)}, was ${short(was.numbers.mean)}`);
    }
  }
  const shape = was.shapes[0]?.value;
  const shapeNow = is.shapes[0]?.value;
  if (
    shape &&
    shapeNow &&
    shape !== shapeNow &&
    share(is.shapes[0]!.count, is.filled) > 0.6 &&
    share(was.shapes[0]!.count, was.filled) > 0.6
  ) {
    changes.push(`mostly ${shapeNow}, was ${shape}`);
  }
  return changes;
}

function mainType(c: ColumnProfile): string {
  const best = c.types[0];
  return best && best.fits > c.filled * 0.8 ? best.type : "text";
}

function isCodeLike(c: ColumnProfile): boolean {
  return c.countError === 0 && c.distinct > 0 && c.distinct <= 60 && c.filled >= c.distinct * 4;
}

function some(values: readonly string[]): string {
  const shown = values.slice(0, 4).map((v) => (v.length > 24 ? `${v.slice(0, 23)}…` : v));
  return values.length > 4 ? `${shown.join(", ")} and ${values.length - 4} more` : shown.join(", ");
}

function short(n: number): string {
  return String(Number(n.toPrecision(4)));
}
