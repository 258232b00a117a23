import type { Plan } from "../plan/document.ts";
import type { Contents } from "../write/files/contents.ts";
import { giveContract } from "./contract.ts";

export const MANIFEST_FORMAT = "good-sieve/manifest@1";

/** A file that was written. */
export interface WrittenFile {
  /** From the folder of the manifest on, with slashes. */
  readonly path: string;
  readonly records: number;
  readonly bytes: number;
  /** Of its bytes as they stand, in hexadecimal. */
  readonly sha256: string;
}

/** What was written, from what, and by which contract: beside the files, for whoever gets them. */
export interface Manifest {
  readonly format: typeof MANIFEST_FORMAT;
  /** "" for what is of no feed. */
  readonly feed: string;
  /** The version of the plan whose contract it is; null for one that is kept nowhere. */
  readonly plan: number | null;
  /** What the records are: rows of the target, of a load what it accepted or all it read, what is held of a feed, what a query gave, or what is good of files. */
  readonly of:
    | { readonly target: string }
    | { readonly load: number; readonly what: Contents }
    | { readonly held: string }
    | { readonly connection: string | null; readonly query: string }
    | { readonly files: readonly string[] };
  readonly made_at: string;
  readonly records: number;
  readonly files: readonly WrittenFile[];
  readonly contract: { readonly json_schema: object; readonly table_schema: object };
}

export function manifestOf(
  plan: Plan,
  about: Pick<Manifest, "plan" | "of" | "made_at">,
  files: readonly WrittenFile[],
): Manifest {
  return {
    format: MANIFEST_FORMAT,
    feed: plan.feed,
    ...about,
    records: files.reduce((n, f) => n + f.records, 0),
    files,
    contract: {
      json_schema: giveContract(plan, "json-schema").document,
      table_schema: giveContract(plan, "table-schema").document,
    },
  };
}
