import { parentPort, workerData } from "node:worker_threads";
import { prepareLookUp } from "@/core/lookup/look-up.ts";
import { NUMBERS, answersIn, type LookUpAsked, type LookUpThreadData } from "./look-up-beside.ts";

/** The thread that finds half of what a look-up by score is asked, for the one that a load's bytes go through. */

const { lookUp, reference } = workerData as LookUpThreadData;
const { nearestOf } = prepareLookUp(lookUp, reference).likeness!;

parentPort!.on("message", ({ asked, memory }: LookUpAsked) => {
  const { done, numbers } = answersIn(memory);
  asked.forEach((one, i) => {
    const { entry, score, next } = nearestOf(one);
    numbers.set([entry, score, next], i * NUMBERS);
  });
  Atomics.store(done, 0, 1);
  Atomics.notify(done, 0);
});
