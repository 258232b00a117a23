import { counted, listed } from "../kernel/problem.ts";
import { gatePart } from "./part.ts";

/** There is at least one record. */
export const nothingRead = gatePart({
  id: "nothing read",
  title: "a delivery without a record",
  about: "A delivery that has no record stops.",
  options: {},
  sentence: "nothing read",
  controls: {},
  once: true,
  begin: () => ({}),
  judge: (_, { read, files }) => ({
    passed: read > 0,
    message:
      read > 0
        ? `${counted(read, "record")} read.`
        : `No record was read: ${listed(files.map((f) => `${f.name} ${f.columns.length === 0 ? "is empty" : "has only its header line"}`))}.`,
  }),
  examples: [
    { options: {}, measured: { read: 1 }, passed: true, says: "1 record read" },
    {
      options: {},
      measured: { read: 0, files: [{ name: "a.csv", columns: ["a"], missing: [], extra: [] }] },
      passed: false,
      says: "a.csv has only its header line",
    },
  ],
});
