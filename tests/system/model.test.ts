import { it } from "vitest";
import { KeyedSequence } from "../support/keyed-sequence.ts";
import { runSequences, sequences } from "../support/sequence.ts";

const COUNT = 40;
const MODES = ["upsert", "append", "insert", "update", "whole", "marked", "within", "slice"] as const;

it(
  `${sequences(COUNT)} random sequences leave the target as a simple model says, and verify finds nothing`,
  { timeout: 300_000 + sequences(COUNT) * 4000 },
  () =>
    runSequences(COUNT, (system, s, roll) => {
      const mode = MODES[s % MODES.length]!;
      // Every other time, of each mode, with a field that the target has no column of.
      const beside = Math.floor(s / MODES.length) % 2 === 0 ? [] : [{ name: "aside", type: "text" }];
      return new KeyedSequence(system, `model_${s}`, mode, roll, { beside });
    }),
);
