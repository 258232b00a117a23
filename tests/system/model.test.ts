import { it } from "vitest";
import { KeyedSequence } from "../support/keyed-sequence.ts";
import { runSequences, sequences } from "../support/sequence.ts";

const COUNT = 100;

it(
  `${sequences(COUNT)} random sequences leave the target as a simple model says, and verify finds nothing`,
  { timeout: 60_000 + sequences(COUNT) * 3000 },
  () =>
    runSequences(COUNT, (system, s, roll) => {
      const mode = s % 3 === 2 ? "append" : "upsert";
      return new KeyedSequence(system, `model_${s}`, mode, roll);
    }),
);
