import { problemParts } from "@/core/kernel/problem.ts";
import type { Doubt, Evidence } from "@/core/read/part.ts";
import type { ReadOptions, ReadSettings } from "@/core/read/settings.ts";
import { openFile, rawText } from "@/core/read/source.ts";
import { arrivedCells, rawBytes } from "@/core/course/of-record.ts";
import type { Db } from "@/store/db.ts";
import { getDelivery, storedFile, type OnRead } from "@/store/deliveries.ts";
import { fileSpool } from "../threads/spool.ts";

/** The first records of a part of a delivery, and how it was read. */
export interface PartPreview {
  name: string;
  read: ReadOptions;
  evidence: Evidence;
  /** What is to be asked before it is loaded. */
  doubts: readonly Doubt[];
  others: Readonly<Record<string, readonly string[]>>;
  arrays: readonly string[];
  columns: readonly string[];
  rows: { line: number; cells: string[] | null; raw: string }[];
  /** The number of the file that it is of. */
  file: number;
  /** What stopped the reading, where the file is damaged. */
  error: { code: string; message: string; detail: string; hint: string } | null;
}

/** Parts of one delivery that are looked into. */
const MOST_PARTS = 24;
const SHOWN_BYTES = 400;

/**
 * Reads only the beginning of each file of a delivery: what it is, and its first records. What can
 * be read before damage is shown, with what is wrong.
 */
export async function previewDelivery(
  db: Db,
  delivery: number,
  settings: ReadSettings,
  most = 60,
  onRead?: OnRead,
): Promise<PartPreview[]> {
  const { files } = await getDelivery(db, delivery);
  const { spool, close } = fileSpool();
  const previews: PartPreview[] = [];
  try {
    for (const file of files) {
      let last: PartPreview | null = null;
      try {
        for await (const opened of openFile(storedFile(db, file, onRead), settings, spool)) {
          const { name, options, evidence, doubts = [], others = {} } = opened;
          last = {
            file: file.id,
            name,
            read: options,
            evidence,
            doubts,
            others,
            arrays: [],
            columns: [],
            rows: [],
            error: null,
          };
          previews.push(last);
          for await (const block of opened.blocks) {
            for (let r = 0; r < block.count && last.rows.length < most; r++) {
              const bad = block.unreadable.has(r);
              last.rows.push({
                line: block.origin.line[r]!,
                cells: bad ? null : arrivedCells(block, r).map((c) => c.slice(0, SHOWN_BYTES)),
                raw: bad ? rawText(rawBytes(block, r).subarray(0, SHOWN_BYTES)) : "",
              });
            }
            if (last.rows.length >= most) break;
          }
          last.columns = [...opened.columns()];
          last.arrays = [...(opened.arrays?.() ?? [])];
          if (previews.length >= MOST_PARTS) return previews;
        }
      } catch (error) {
        const parts = problemParts(error);
        if (parts.code === "failure") throw error;
        if (last && last.rows.length > 0) last.error = parts;
        else {
          if (last) previews.pop();
          previews.push({
            file: file.id,
            name: file.name,
            read: { as: settings.as && settings.as !== "auto" ? settings.as : "delimited" },
            evidence: {},
            doubts: [],
            others: {},
            arrays: [],
            columns: [],
            rows: [],
            error: parts,
          });
        }
      }
    }
    return previews;
  } finally {
    await close();
  }
}
