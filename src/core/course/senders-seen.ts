import { cellText } from "../kernel/bytes.ts";
import { senderOfValue } from "../plan/senders.ts";
import type { Compiled } from "./compiled.ts";
import type { Sifted } from "./sifted.ts";

/** Senders that one load tells apart; of more, records count as those of whoever sent the delivery. */
const MOST_SENDERS = 5_000;

/** So many records of a delivery are of this sender; "" stands for whoever sent the delivery. */
export type SentBy = readonly [sender: string, records: number];

/**
 * Who sent a record, where a field of the plan says it; "" where none does, its cell is empty, or what stands there is not
 * sound: what slipped into it from another column is nobody's name.
 */
export function senderOfRecord({ heap, cleansed, faults }: Sifted, { senderField }: Compiled, r: number): string {
  if (senderField < 0 || faults[senderField]![r] !== 0) return "";
  return senderOfValue(cellText(heap, cleansed[senderField]!, r));
}

/** Counts the records of each sender, block by block. */
export class SendersSeen {
  private readonly records = new Map<string, number>();

  constructor(private readonly compiled: Compiled) {}

  add(sifted: Sifted): void {
    const { compiled, records } = this;
    if (compiled.senderField < 0) return;
    for (let r = 0; r < sifted.block.count; r++) {
      const sender = senderOfRecord(sifted, compiled, r);
      const known = records.get(sender);
      if (known !== undefined) records.set(sender, known + 1);
      else if (records.size < MOST_SENDERS) records.set(sender, 1);
      else records.set("", (records.get("") ?? 0) + 1);
    }
  }

  /** By records, most first; empty where no field says whose they are. */
  finish(): SentBy[] {
    return [...this.records].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1));
  }
}
