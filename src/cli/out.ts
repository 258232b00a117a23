import { SieveError, counted, grouped } from "@/core/kernel/problem.ts";
import type { Manifest } from "@/core/interop/manifest.ts";
import { outputOf } from "@/core/write/records/index.ts";
import { outOf } from "@/engine/out/out.ts";
import { queryOut } from "@/engine/out/query.ts";
import { openDb } from "@/store/db.ts";
import { isFolder } from "./good-out.ts";
import { Output } from "@/engine/out/output.ts";

export interface OutFlags {
  readonly format?: string;
  readonly gzip?: boolean;
  readonly partition?: string;
  readonly records?: number;
  readonly megabytes?: number;
  readonly name?: string;
  readonly delimiter?: string;
  readonly encoding?: string;
  readonly root?: string;
  readonly record?: string;
  readonly load?: number;
  readonly accepted?: number;
  readonly changed?: number;
  readonly read?: number;
  readonly held?: boolean;
  readonly connection?: string;
}

/** Whether what goes out is a query, and no feed: a feed's name has no blank. */
const isQuery = (of: string): boolean => /\s/.test(of.trim());

/** Writes the rows of a feed's target, what a load accepted, or what a query gives, into a file or a folder, and says what was written. */
export async function out(of: string, path: string, flags: OutFlags): Promise<void> {
  const query = isQuery(of);
  const ofLoad = flags.accepted ?? flags.changed ?? flags.read;
  const ofFeed = [flags.load, ofLoad, flags.held].some((flag) => flag !== undefined);
  if (query ? ofFeed : flags.connection !== undefined) {
    throw new SieveError("usage", query ? "A query is of no load." : "--connection is of a query.", {
      hint: query
        ? "Leave out --load, --accepted, --changed, --read and --held."
        : "The rows of a feed’s target are in the store’s own database; give a query in its place for another.",
    });
  }
  if ([flags.load, flags.accepted, flags.changed, flags.read].filter((load) => load !== undefined).length > 1) {
    throw new SieveError("usage", "--load, --accepted, --changed and --read can't be said together.", {
      hint: "--load 3 takes the rows that load 3 wrote last, --accepted 3 what load 3 accepted when it ran, --changed 3 of that what was new or changed something, --read 3 all that it read.",
    });
  }
  const what = flags.held
    ? "held"
    : flags.read !== undefined
      ? "records"
      : flags.changed !== undefined
        ? "changed"
        : flags.accepted !== undefined
          ? "accepted"
          : "rows";
  if (flags.held && ofLoad !== undefined) {
    throw new SieveError("usage", "--held goes with --load alone.", {
      hint: "--held --load 3 takes what is held of load 3.",
    });
  }
  const db = openDb(undefined, 4);
  try {
    const folder = await isFolder(path);
    const gzip = flags.gzip ?? (!folder && path.endsWith(".gz"));
    const plain = path.replace(/\.gz$/, "");
    const load = ofLoad ?? flags.load;
    const asked = {
      format: flags.format ?? (folder ? "csv" : outputOf(plain).id),
      gzip,
      partition: flags.partition,
      records: flags.records,
      bytes: flags.megabytes === undefined ? undefined : flags.megabytes * 1_000_000,
      name: flags.name,
      delimiter: flags.delimiter?.replaceAll("\\t", "\t"),
      encoding: flags.encoding,
      root: flags.root,
      record: flags.record,
    };
    const outgoing = query
      ? await queryOut(db, { sql: of, connection: flags.connection }, asked)
      : await outOf(db, of, { ...asked, load, what });
    const manifest = folder ? await outgoing.unpack(path) : await intoFile(path, (into) => outgoing.pack(into));
    process.stdout.write(`${said(manifest, path)}\n`);
  } finally {
    await db.end();
  }
}

async function intoFile(
  path: string,
  pack: (into: (bytes: Uint8Array) => Promise<void>) => Promise<Manifest>,
): Promise<Manifest> {
  const file = new Output(path);
  try {
    const manifest = await pack((bytes) => file.write(bytes));
    await file.end();
    return manifest;
  } finally {
    await file.drop();
  }
}

function said({ records, files }: Manifest, path: string): string {
  const bytes = files.reduce((n, f) => n + f.bytes, 0);
  return `${counted(records, "record")} in ${counted(files.length, "file")}, ${grouped(bytes)} bytes: ${path}`;
}
