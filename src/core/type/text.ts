import { z } from "zod";
import type { TypePart } from "./part.ts";

export interface TextOptions {
  readonly length?: number | undefined;
}

/** Text of any characters. Its length is a check of its own, so that a longer text is a problem and never cut. */
export const text: TypePart<TextOptions> = {
  id: "text",
  title: "Text",
  options: {
    length: z.int().min(1).max(10_485_760).optional().describe("Most characters; none: no limit"),
  },
  sql: () => "text",
  expected: () => "text",
  noun: "text",
  order: null,
  convert: () => () => 0,
  examples: [{ options: {}, from: " any thing ", to: " any thing " }],
};
