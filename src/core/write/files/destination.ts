import { z } from "zod";

/** Where files go: into a folder of `SIEVE_OUT`, or to an address that they are put to. */

/** What a connection may be called. */
export const CONNECTION_NAME = /^[a-z][a-z0-9_]{0,40}$/;
export const connectionSchema = z.string().regex(CONNECTION_NAME);

/** A folder within `SIEVE_OUT`, and how it is named. */
export const folderDestination = {
  folder: z
    .string()
    .regex(/^[A-Za-z0-9][A-Za-z0-9 ._-]{0,80}(\/[A-Za-z0-9][A-Za-z0-9 ._-]{0,80}){0,4}$/)
    .describe("The folder within SIEVE_OUT"),
};

/** An address, and by whom files are put to it. */
export const addressDestination = {
  url: z
    .url({ protocol: /^https?$/ })
    .max(1000)
    .describe("The address below which the files are put; its host must be one of SIEVE_RECEIVER_HOSTS"),
  connection: connectionSchema
    .optional()
    .describe("A connection to a web address, by whose user and password the files are put"),
  as: z
    .enum(["basic", "object storage"])
    .default("basic")
    .describe(
      "How they are given: as HTTP has it, or as the key and secret of an object storage, whose requests are signed with them",
    ),
  region: z
    .string()
    .regex(/^[a-z0-9-]{1,40}$/)
    .optional()
    .describe("The object storage's region; us-east-1 unless said"),
};

/** An address that files are put to. */
export type AddressDestination = z.infer<z.ZodObject<typeof addressDestination>>;

/** What is wrong with an address; null where nothing is. */
export function addressFault({ as, connection }: Pick<AddressDestination, "as" | "connection">): string | null {
  return as === "object storage" && connection === undefined
    ? "An object storage needs a connection, whose user and password are the key and its secret."
    : null;
}

/** Where files of one's own choice go. */
export const destinationSchema = z
  .discriminatedUnion("to", [
    z.strictObject({ to: z.literal("folder"), ...folderDestination }),
    z.strictObject({ to: z.literal("address"), ...addressDestination }),
  ])
  .superRefine((destination, context) => {
    const fault = destination.to === "address" ? addressFault(destination) : null;
    if (fault !== null) context.addIssue({ code: "custom", message: fault });
  });
export type Destination = z.infer<typeof destinationSchema>;

/** A destination in words. */
export function destinationWords(destination: Destination): string {
  return destination.to === "folder" ? `the folder ${destination.folder}` : destination.url;
}
