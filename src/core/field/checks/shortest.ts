import { z } from "zod";
import { characters } from "../../kernel/bytes.ts";
import { eachCell } from "../../kernel/column.ts";
import { counted, grouped, quoted } from "../../kernel/problem.ts";
import type { CheckPart } from "./part.ts";

const options = {
  shortest: z.int().min(1).max(10_485_760).optional().describe("How many characters a value has at least"),
};

export const shortest: CheckPart<typeof options> = {
  id: "shortest",
  about: "A text that is given has no fewer characters (code points) than its shortest may have.",
  options,
  misfit: (f) => (f.type === "text" ? null : `Only a text can have a shortest value, not the type ${f.type}.`),
  fault: ({ shortest: least, length: most }) =>
    most !== undefined && least! > most
      ? `No value has at least ${grouped(least!)} and at most ${counted(most, "character")}.`
      : null,
  asked: (f) => f.shortest !== undefined,
  words: (f) => `at least ${counted(f.shortest!, "character")}`,
  title: (f) => `${f.name} has at least ${counted(f.shortest!, "character")}`,
  failing: (name) => `${name} is too short`,
  message: (f, value) => `${f.name} ${quoted(value)} has ${counted([...value].length, "character")}.`,
  expected: (f) => `at least ${counted(f.shortest!, "character")}`,
  test: (f) => {
    const least = f.shortest!;
    return eachCell((heap, cells, r) => characters(heap.bytes, cells.start[r]!, cells.end[r]!) >= least);
  },
  examples: [
    { field: { name: "accession", type: "text", shortest: 3 }, pass: ["", "ASV", "éßé", "ASV-1"], fail: ["é", "AS"] },
  ],
};
