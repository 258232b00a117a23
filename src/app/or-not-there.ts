import { notFound } from "next/navigation";
import { ZodError } from "zod";
import { SieveError } from "@/core/problem.ts";

/** What a page is about; where there is no such thing, or the address is not one, the page is not there. */
export async function orNotThere<T>(asked: Promise<T>): Promise<T> {
  try {
    return await asked;
  } catch (error) {
    if (error instanceof SieveError || error instanceof ZodError) notFound();
    throw error;
  }
}
