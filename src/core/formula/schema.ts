import { z } from "zod";
import { syntaxFault } from "./syntax.ts";

/** A formula in a plan. Its names and types are checked against the contract where the plan is. */
export const formulaSchema = z
  .string()
  .min(1)
  .max(4000)
  .superRefine((source, context) => {
    const fault = syntaxFault(source);
    if (fault) context.addIssue({ code: "custom", message: fault.message });
  });
