import { z } from "zod";
import { plainWords } from "../normalise.ts";
import type { ComparatorPart } from "../part.ts";
import type { OptionsOf } from "../../kernel/options.ts";

const options = { mark: z.string().min(1).max(10).optional().describe("What stands between values; ; unless said") };

export type OverlapOptions = OptionsOf<typeof options>;

export const overlap: ComparatorPart<OverlapOptions> = {
  id: "overlap",
  title: "Values in common",
  about: "For lists in one value: how many of all their values both have.",
  source: "Jaccard (1901)",
  options,
  blocking: "words",
  prepare:
    ({ mark = ";" }) =>
    (text) =>
      [...new Set(text.split(mark).map(plainWords))]
        .filter((v) => v !== "")
        .sort()
        .join(";"),
  compare: () => (a, b) => {
    if (a === b) return 1;
    const [x, y] = [new Set(a.split(";")), new Set(b.split(";"))];
    let both = 0;
    for (const v of x) if (y.has(v)) both++;
    return both / (x.size + y.size - both);
  },
  levels: [0.75, 0.5, 0.2],
  examples: [
    { options: {}, a: "fen; bog", b: "Bog;Fen", likeness: 1 },
    { options: {}, a: "fen; bog; moor", b: "fen", likeness: 0.333 },
    { options: { mark: "," }, a: "fen", b: "moor, bog", likeness: 0 },
  ],
};
