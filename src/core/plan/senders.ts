import { z } from "zod";
import { fitsName } from "../kernel/file-name.ts";

export const senderOfSchema = z.strictObject({
  files: z.string().min(1).max(200).describe("Names of files: * for anything, ? for one character"),
  sender: z.string().trim().min(1).max(120).describe("Who sends them"),
});

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
