import { fieldsGoingOut } from "@/core/plan/target-fields.ts";
import { createReadStream } from "node:fs";
import { mkdtemp, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { manifestOf, type Manifest, type WrittenFile } from "@/core/interop/manifest.ts";
import type { Plan } from "@/core/plan/document.ts";
import { valuesOf } from "@/core/plan/parameters.ts";
import type { Field } from "@/core/field/field.ts";
import { SieveError, quoted } from "@/core/kernel/problem.ts";
import { encoderOf } from "@/core/write/encode.ts";
import { outputCalled } from "@/core/write/records/index.ts";
import { ELEMENT_NAME, unfitSetting, type TextSettings } from "@/core/write/records/part.ts";
import { isOfLoad, isTyped, type Contents } from "@/core/write/files/contents.ts";
import { senderPart, usualName, type AboutFile } from "@/core/write/files/name.ts";
import { readPartitions } from "@/core/write/files/partition.ts";
import type { Db } from "@/store/db.ts";
import { senderOf } from "@/store/deliveries.ts";
import { getPlan, planInForce } from "@/store/feeds.ts";
import { dayOf, getLoad } from "@/store/loads.ts";
import { acceptedOf, heldOf, needOfFeed, recordsOf, rowsOfTarget, type Page } from "./records.ts";
import { FolderSink, ZipSink, oneFile, putFile } from "./sinks.ts";
import { isSeveral, onlyPath, writeOut, type OutSpec, type Sink } from "./write-out.ts";

/** What is wanted of records on their way out. */
export interface OutAsked {
  /** A format's name, or an ending. */
  readonly format: string;
  readonly gzip?: boolean | undefined;
  /** Fields by which records go into folders: `partner,collected_on:month`. */
  readonly partition?: string | undefined;
  /** A file has no more records than this. */
  readonly records?: number | undefined;
  /** A new file is begun once one has this many bytes. */
  readonly bytes?: number | undefined;
  /** A pattern of the files' names, without their ending. */
  readonly name?: string | undefined;
  /** What stands between cells of delimited text, and its encoding. */
  readonly delimiter?: string | undefined;
  readonly encoding?: string | undefined;
  /** What XML's root element and each record's are called. */
  readonly root?: string | undefined;
  readonly record?: string | undefined;
  /** Rows of the target unless said. */
  readonly what?: Contents | undefined;
  /** Of rows, those that this load wrote last; of the rest, what is of this load. */
  readonly load?: number | undefined;
}

/** How text is written. Throws `out-unfit` where the format is none that is written so, or it can't be written so. */
function textOf(asked: OutAsked): TextSettings | undefined {
  const { delimiter, encoding, root, record } = asked;
  const part = outputCalled(asked.format);
  const unfit = unfitSetting(part, asked);
  if (unfit !== null) {
    throw new SieveError("out-unfit", `${part.title} has no ${unfit} to choose.`, {
      hint: "Leave it out, or take CSV for a delimiter and an encoding, XML for names of elements.",
    });
  }
  for (const name of [root, record]) {
    if (name === undefined || ELEMENT_NAME.test(name)) continue;
    throw new SieveError("out-unfit", `${quoted(name)} is no name of an element.`, {
      hint: "Take letters, digits, points, hyphens and underscores, with a letter first.",
    });
  }
  if (root !== undefined || record !== undefined) return { root, record };
  if (delimiter === undefined && encoding === undefined) return undefined;
  if (delimiter !== undefined && /["\r\n]|^$/.test(delimiter)) {
    throw new SieveError("out-unfit", "A delimiter is not empty, and has no quotes and no line ends.", {
      hint: "Take a comma, a semicolon, a tab or a bar.",
    });
  }
  if (encoding === undefined) return { delimiter };
  // What can't be had is said at once.
  encoderOf(encoding);
  return { delimiter, encoder: () => encoderOf(encoding) };
}

/** The form that is asked for; `name`: the pattern of names unless another is said. Throws `out-unfit`. */
export function specOf(asked: Omit<OutAsked, "what" | "load">, fields: readonly Field[], name: string): OutSpec {
  return {
    format: asked.format,
    gzip: asked.gzip ?? false,
    partitions: readPartitions(asked.partition ?? "", fields),
    records: asked.records,
    bytes: asked.bytes,
    name: asked.name ?? name,
    text: textOf(asked),
  };
}

const MANIFEST = "manifest.json";

/** Records that are ready to go out. */
export interface Outgoing {
  /** Of the file, or of the archive. */
  readonly name: string;
  /** Its media type. */
  readonly type: string;
  /** Writes the only file, or an archive of all with their manifest. */
  pack(into: (bytes: Uint8Array) => Promise<void>): Promise<Manifest>;
  /** Writes the files into a folder, aside until each is whole, and their manifest last; `manifest`: what that is called. */
  unpack(folder: string, manifest?: string): Promise<Manifest>;
}

/**
 * Gets the records of a feed ready to go out: rows of its target as they are at one moment, what a
 * load accepted, all that it read with what became of it, or what is held.
 * Nothing is written yet. Throws `out-unfit` for what can't be written, `no-load` and `no-plan`.
 */
export async function outOf(db: Db, feed: string, asked: OutAsked): Promise<Outgoing> {
  const what = asked.what ?? "rows";
  const load = asked.load === undefined ? null : await getLoad(db, asked.load);
  if (load) needOfFeed(load, feed);
  if (isOfLoad(what) && !load) {
    throw new SieveError("out-unfit", "It has to be said which load's records are to go out.", {
      hint: "Say the number of a load.",
    });
  }
  const { id, document: plan } = isOfLoad(what) && load ? await getPlan(db, load.plan) : await planInForce(db, feed);
  const fields = fieldsGoingOut(what, plan);
  // What a load read comes in the order of its files.
  const ordered = !isOfLoad(what);
  const spec = specOf(asked, fields, usualName(asked.load, what));
  const made = new Date();
  const about = {
    feed,
    load: String(asked.load ?? ""),
    sender: senderPart(load ? await senderOf(db, load.delivery) : ""),
    day: dayOf(made),
    ...valuesOf(plan, load?.run.parameters),
  };
  const of =
    what === "rows" ? { target: plan.load.target } : what === "held" ? { held: feed } : { load: asked.load!, what };
  const contract = isTyped(what) ? plan : { ...plan, contract: { fields } };
  return outgoing({
    ...{ spec, about, fields, ordered },
    pages: () => pagesOf(db, plan, spec, asked),
    manifest: (files) => manifestOf(contract, { plan: id, of, made_at: made.toISOString() }, files),
  });
}

/** Records of whatever kind, with all that is needed to write them. */
export interface ToGoOut {
  readonly spec: OutSpec;
  /** What names of files may speak of. */
  readonly about: AboutFile;
  readonly fields: readonly Field[];
  /** Whether records of one folder come one after the other. */
  readonly ordered: boolean;
  readonly pages: () => AsyncIterable<Page>;
  readonly manifest: (files: readonly WrittenFile[]) => Manifest;
}

/** Records ready to go out, of which nothing is read yet. Throws `out-unfit` for names that can't be. */
export function outgoing({ spec, about, fields, ordered, pages, manifest }: ToGoOut): Outgoing {
  // Named before anything is read, so that what can't be is said at once.
  const only = onlyPath(spec, about);
  const write = async (sink: Sink): Promise<Manifest> =>
    manifest(await writeOut(pages(), fields, spec, sink, { about, ordered }));
  const several = isSeveral(spec);
  return {
    name: several ? `${only.replace(/\..*$/, "")}.zip` : only,
    type: several
      ? "application/zip"
      : spec.gzip
        ? "application/gzip"
        : (TYPES[only.split(".").at(-1)!] ?? "text/plain"),
    async pack(into) {
      if (!several) return await write(oneFile(into));
      const zip = new ZipSink(into);
      const made = ordered || spec.partitions.length === 0 ? await write(zip) : await throughFolder(write, zip);
      await putFile(zip, MANIFEST, manifestText(made));
      await zip.end();
      return made;
    },
    async unpack(folder, called = MANIFEST) {
      const sink = new FolderSink(folder);
      try {
        const made = await write(sink);
        await putFile(sink, called, manifestText(made));
        return made;
      } finally {
        await sink.drop();
      }
    },
  };
}

/** Writes files beside first, as an archive takes them one after the other, and records come in no order of their folders. */
async function throughFolder(write: (sink: Sink) => Promise<Manifest>, into: Sink): Promise<Manifest> {
  const folder = await mkdtemp(join(tmpdir(), "sieve-out-"));
  try {
    const manifest = await write(new FolderSink(folder));
    for (const { path } of manifest.files) {
      const file = await into.open(path);
      for await (const bytes of createReadStream(join(folder, path))) await file.write(bytes as Uint8Array);
      await file.end();
    }
    return manifest;
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

const TYPES: Readonly<Record<string, string>> = {
  csv: "text/csv; charset=utf-8",
  tsv: "text/tab-separated-values; charset=utf-8",
  json: "application/json",
  jsonl: "application/x-ndjson",
  xml: "application/xml",
  parquet: "application/vnd.apache.parquet",
  xlsx: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
};

const manifestText = (manifest: Manifest): string => `${JSON.stringify(manifest, null, 2)}\n`;

function pagesOf(db: Db, plan: Plan, { partitions }: OutSpec, { load, what }: OutAsked): AsyncIterable<Page> {
  switch (what) {
    case "accepted":
    case "changed":
      return acceptedOf(db, load!, what);
    case "records":
      return recordsOf(db, load!);
    case "held":
      return heldOf(db, plan, { partitions, load });
    default:
      return rowsOfTarget(db, plan, { partitions, load });
  }
}
