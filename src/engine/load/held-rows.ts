import { RAW_KEPT } from "@/core/kernel/block.ts";
import type { Compiled } from "@/core/course/compiled.ts";
import { arrivedCells, cleansedValues, problemsOf, rawBytes } from "@/core/course/of-record.ts";
import { senderOfRecord } from "@/core/course/senders-seen.ts";
import type { Sifted } from "@/core/course/sifted.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import type { HeldRow } from "../threads/messages.ts";

/** A record of a block as the quarantine keeps it. */
export function heldRow(sifted: Sifted, compiled: Compiled, r: number, at: HeldRow["at"]): HeldRow {
  const { block } = sifted;
  const raw = rawBytes(block, r).subarray(0, RAW_KEPT);
  return {
    record: sifted.first + r,
    at,
    file: block.file,
    line: block.origin.line[r]!,
    byte_start: block.origin.start[r]!,
    byte_end: block.origin.end[r]!,
    raw: Buffer.from(raw).toString("base64"),
    cells: block.unreadable.has(r) ? null : arrivedCells(block, r),
    field_values: cleansedValues(sifted, r),
    problems: problemsOf(sifted, compiled, r),
    sender: senderOfRecord(sifted, compiled, r) || null,
    suspect: sifted.verdict[r] === VERDICT.suspect,
  };
}
