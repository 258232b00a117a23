import { z } from "zod";
import type { FoundValue } from "@/engine/look/find-value.ts";
import { answerOf, declare } from "./declare.ts";

export const findValue = declare("GET /api/find", {
  about:
    "where a value stands: in rows of all targets with what was done to each, and in records that are held, were held or wait",
  query: { value: z.string().max(1000).describe("The value, exactly as it is") },
  answer: answerOf<FoundValue>(
    "rows, records, and feeds whose targets could not be looked through whole in the time there is",
  ),
});
