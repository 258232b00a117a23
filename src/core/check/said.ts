import { z } from "zod";

/** What holds when a check passes; a name that can stand in its key. */
export const checkName = z
  .string()
  .min(1)
  .max(80)
  .regex(/^[^:+]*$/, "A check's name has no : and no +.")
  .describe("What holds when it passes, in a few words");

export const checkMessage = z
  .string()
  .max(500)
  .describe("What is told to the sender; {field} stands for a value of the record");
