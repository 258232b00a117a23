import { z } from "zod";
import { fitsName } from "../kernel/file-name.ts";

/** As long as the name of a sender may be. */
export const LONGEST_SENDER = 120;

export const senderOfSchema = z.strictObject({
  files: z.string().min(1).max(200).describe("Names of files: * for anything, ? for one character"),
  sender: z.string().trim().min(1).max(LONGEST_SENDER).describe("Who sends them"),
});

/** Who sent a record whose field names it: the text of its cell, cut where it is too long for a name. */
export function senderOfValue(text: string): string {
  return text.trim().slice(0, LONGEST_SENDER).trimEnd();
}

/** Whose files of a name are. */
export type SenderOf = z.infer<typeof senderOfSchema>;

/** Who sends a delivery, told by the first of its files that fits a line, the lines in their order; null where none does. */
export function senderOfFiles(
  { senders = [] }: { readonly senders?: readonly SenderOf[] | undefined },
  names: readonly string[],
): string | null {
  const found = senders.find(({ files }) => names.some((name) => fitsName(files, name)));
  return found?.sender ?? null;
}
