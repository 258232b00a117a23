import { z } from "zod";
import { counted, grouped } from "../kernel/problem.ts";
import { gatePart } from "./part.ts";

/** There are about as many records as there should be. */
export const numberOfRecords = gatePart({
  id: "number of records",
  title: "how many records there should be",
  about: "Fewer records than `least`, or more than `most`, stop the load.",
  options: {
    least: z.int().min(0).optional().describe("Fewer records than this stop the load"),
    most: z.int().min(0).optional().describe("More records than this stop the load"),
  },
  sentence: "number of records not from {least} to {most}",
  controls: { least: "number", most: "number" },
  once: true,
  begin: () => ({ least: 1 }),
  judge({ least, most }, { read }) {
    const between =
      least === undefined
        ? most === undefined
          ? "any number"
          : `at most ${grouped(most)}`
        : most === undefined
          ? `at least ${grouped(least)}`
          : `between ${grouped(least)} and ${grouped(most)}`;
    return {
      passed: read >= (least ?? 0) && read <= (most ?? Infinity),
      message: `${counted(read, "record")} read; there should be ${between}.`,
    };
  },
  examples: [
    { options: { least: 2, most: 4 }, measured: { read: 2 }, passed: true, says: "between 2 and 4" },
    { options: { least: 2, most: 4 }, measured: { read: 4 }, passed: true, says: "4 records read" },
    { options: { least: 2 }, measured: { read: 1 }, passed: false, says: "at least 2" },
    { options: { most: 2 }, measured: { read: 3 }, passed: false, says: "at most 2" },
    { options: {}, measured: { read: 0 }, passed: true, says: "any number" },
  ],
});
