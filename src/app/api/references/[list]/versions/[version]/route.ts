import { db, route, wholeNumber } from "@/app/server.ts";
import { versionChanges } from "@/store/references.ts";

/** What a version of the list put in and took out. */
export const GET = route<{ list: string; version: string }>(
  async (_, { list, version }) => await versionChanges(db(), list, wholeNumber(version, "The version")),
);
