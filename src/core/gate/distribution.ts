import { z } from "zod";
import { plainNameSchema } from "../plan/name.ts";
import { figuresOf, gatePart, tooFew, type Figure } from "./part.ts";
import { isOver, percent } from "./usual.ts";

const shares = (a: number, b: number): Figure => ({
  field: "c",
  count: 10,
  shares: [
    ["x", a],
    ["y", b],
  ],
});
const history = [1, 2, 3].map(() => ({ read: 10, filled: [], figures: [shares(0.7, 0.3)] }));

/**
 * How far a field's values are spread otherwise than in the sender's loads before: the share of the
 * records that would have to have another value (total variation distance). Values that only one of
 * the two tells apart count in full.
 */
export const distribution = gatePart({
  id: "distribution against history",
  title: "how values are spread, against the loads before",
  about: "Values of a field that are spread otherwise than in the sender's loads before stop the load.",
  options: {
    field: plainNameSchema.describe("A field of codes, texts or yes and no"),
    over: z
      .number()
      .min(0)
      .max(1)
      .describe("How much of the records may have other values than usual, as a share of all"),
  },
  sentence: "values of {field} others than usual in over {over} %",
  controls: { field: "field", over: "share" },
  types: ["code", "text", "boolean"],
  figures: true,
  begin: (field) => ({ field, over: 0.3 }),
  judge({ field, over }, measured) {
    const { now, before } = figuresOf(measured, field);
    const few = tooFew(before.length);
    if (few) return few;
    if (!now || now.count === 0) return { passed: false, message: `${field} has no value.` };
    const total = before.reduce((n, f) => n + f.count, 0);
    const usual = new Map<string, number>();
    for (const f of before) {
      for (const [value, share] of f.shares ?? [])
        usual.set(value, (usual.get(value) ?? 0) + (share * f.count) / total);
    }
    const own = new Map(now.shares ?? []);
    const rest = (map: ReadonlyMap<string, number>): number => 1 - [...map.values()].reduce((n, s) => n + s, 0);
    let moved = Math.abs(rest(own) - rest(usual));
    const by: { value: string; from: number; to: number }[] = [];
    for (const value of new Set([...own.keys(), ...usual.keys()])) {
      const [from, to] = [usual.get(value) ?? 0, own.get(value) ?? 0];
      moved += Math.abs(to - from);
      by.push({ value, from, to });
    }
    moved /= 2;
    const most = by
      .filter((b) => Math.abs(b.to - b.from) >= 0.0005)
      .sort((a, b) => Math.abs(b.to - b.from) - Math.abs(a.to - a.from))
      .slice(0, 3)
      .map((b) => `${b.value} from ${percent(b.from)} to ${percent(b.to)}`);
    return {
      passed: !isOver(moved, over),
      message: `${percent(moved)} of the values of ${field} are others than usual, and ${percent(over)} may be${most.length > 0 ? `: ${most.join(", ")}` : ""}.`,
    };
  },
  examples: [
    {
      options: { field: "c", over: 0.3 },
      measured: { history, figures: [shares(0.4, 0.6)] },
      passed: true,
      says: "30 % of the values of c are others than usual",
    },
    {
      options: { field: "c", over: 0.3 },
      measured: { history, figures: [shares(0.3, 0.7)] },
      passed: false,
      says: "x from 70 % to 30 %, y from 30 % to 70 %",
    },
    { options: { field: "c", over: 0.3 }, measured: { history }, passed: false, says: "c has no value" },
  ],
});
