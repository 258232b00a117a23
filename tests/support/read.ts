import { DelimitedReader } from "@/core/read/delimited/reader.ts";
import type { DelimitedOptions } from "@/core/read/options.ts";
import { arrivedCells, rawBytes } from "@/core/course/of-record.ts";
import { rawText } from "@/core/read/source.ts";

export const CSV: DelimitedOptions = {
  delimiter: ",",
  quote: '"',
  escape: '"',
  header: true,
  skip: 0,
  encoding: "utf-8",
};

export interface ReadRecord {
  cells: string[] | null;
  reason: string | null;
  line: number;
  start: number;
  end: number;
  raw: string;
}

/** Everything a reader gives for the bytes, handed to it in pieces of `step` bytes. */
export function readAll(
  input: string | Uint8Array,
  options: Partial<DelimitedOptions> = {},
  step = 1 << 20,
): { columns: readonly string[]; records: ReadRecord[] } {
  const bytes = typeof input === "string" ? new TextEncoder().encode(input) : input;
  const reader = new DelimitedReader({ ...CSV, ...options });
  const records: ReadRecord[] = [];
  for (let at = 0; at === 0 || at < bytes.length; at += step) {
    for (const block of reader.push(bytes.subarray(at, at + step), at + step >= bytes.length)) {
      for (let r = 0; r < block.count; r++) {
        const reason = block.unreadable.get(r)?.reason ?? null;
        records.push({
          cells: reason ? null : arrivedCells(block, r),
          reason,
          line: block.origin.line[r]!,
          start: block.origin.start[r]!,
          end: block.origin.end[r]!,
          raw: rawText(rawBytes(block, r)),
        });
      }
    }
  }
  return { columns: reader.columns ?? [], records };
}
