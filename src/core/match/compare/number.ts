import { z } from "zod";
import { similarity } from "../../kernel/distance.ts";
import type { ComparatorPart } from "../part.ts";
import type { OptionsOf } from "../../kernel/options.ts";

const options = {
  within: z.number().positive().optional().describe("How far apart they may be"),
  share: z.number().positive().max(1).optional().describe("How far apart they may be, as a share of the greater"),
};

export type NumberOptions = OptionsOf<typeof options>;

export const number: ComparatorPart<NumberOptions> = {
  id: "number",
  title: "Numbers",
  about: "For numbers: the same, or apart by no more than what is allowed, or by one digit.",
  options,
  blocking: "number",
  prepare: () => (text) => {
    const value = Number(text.trim().replace(",", "."));
    return text.trim() === "" || !Number.isFinite(value) ? "" : String(value);
  },
  compare: ({ within = 0, share = 0 }) => {
    return (a, b) => {
      if (a === b) return 1;
      const [x, y] = [Number(a), Number(b)];
      const apart = Math.abs(x - y);
      const allowed = Math.max(within, share * Math.max(Math.abs(x), Math.abs(y)));
      if (apart <= allowed) return 0.98 - 0.28 * (apart / allowed);
      return similarity(a, b) >= 1 - 1 / Math.max(3, a.length, b.length) ? 0.6 : 0;
    };
  },
  levels: [0.9, 0.7, 0.5],
  examples: [
    { options: {}, a: "17", b: "17.0", likeness: 1 },
    { options: { within: 10 }, a: "100", b: "105", likeness: 0.84 },
    { options: { share: 0.1 }, a: "100", b: "90", likeness: 0.7 },
    { options: {}, a: "1987", b: "1978", likeness: 0.6 },
    { options: {}, a: "1987", b: "2024", likeness: 0 },
    { options: {}, a: "17", b: "18", likeness: 0 },
    { options: {}, a: "117", b: "118", likeness: 0.6 },
  ],
};
