import { notFound } from "next/navigation";
import { ZodError } from "zod";
import { SieveError } from "@/core/kernel/problem.ts";
import { isNotThere } from "@/routes/problems.ts";

/** Whether an error says that there is no such thing, or that the address is none. */
function isNone(error: unknown): boolean {
  return (
    error instanceof ZodError || (error instanceof SieveError && (isNotThere(error.code) || error.code === "usage"))
  );
}

/** What a page shows, or why it can't show it: what has expired, took too long, or has to wait. What is not there is not there. */
export async function orWhyNot<T>(asked: Promise<T>): Promise<{ shown: T } | { why: SieveError }> {
  try {
    return { shown: await asked };
  } catch (error) {
    if (isNone(error)) notFound();
    if (error instanceof SieveError) return { why: error };
    throw error;
  }
}

/** What a page is about; where there is no such thing, or the address is not one, the page is not there. */
export async function orNotThere<T>(asked: Promise<T>): Promise<T> {
  try {
    return await asked;
  } catch (error) {
    if (error instanceof SieveError || error instanceof ZodError) notFound();
    throw error;
  }
}
