import type { Destination } from "@/core/write/files/destination.ts";

/** Where files for a sender go, as a form has it. */
export interface DestinationDraft {
  readonly to: "" | Destination["to"];
  readonly folder: string;
  readonly url: string;
  /** Of an address: the connection by which files are put, and whether it is an object storage's key and secret. */
  readonly connection: string;
  readonly storage: boolean;
  readonly region: string;
}

export function draftOf(destination: Destination | null): DestinationDraft {
  const empty = { folder: "", url: "", connection: "", storage: false, region: "" };
  if (!destination) return { to: "", ...empty };
  if (destination.to === "folder") return { ...empty, to: "folder", folder: destination.folder };
  const { url, connection = "", as, region = "" } = destination;
  return { ...empty, to: "address", url, connection, storage: as === "object storage", region };
}

/** What a form says; null: nowhere by themselves. What is not of the kind that is chosen is not said. */
export function destinationOf({ to, folder, url, connection, storage, region }: DestinationDraft): Destination | null {
  if (to === "") return null;
  if (to === "folder") return { to, folder: folder.trim() };
  const signed = connection.trim() === "" ? {} : { connection: connection.trim() };
  const at = storage && region.trim() !== "" ? { region: region.trim() } : {};
  return { to, url: url.trim(), as: storage ? "object storage" : "basic", ...signed, ...at };
}
