import { cellText } from "../kernel/bytes.ts";
import { DAY, microsOf } from "../formula/value.ts";
import { finishHash, startHash, type Hash } from "../kernel/hash.ts";
import { hashCell } from "../type/hash-cell.ts";
import type { Field } from "../field/field.ts";
import type { Sifted } from "./sifted.ts";
import { NOT_OF_TYPE, VERDICT, isPassedOver } from "../kernel/verdict.ts";
import type { Between, RecordView } from "../check/between/part.ts";
import type { SortedRuns } from "../check/between/runs.ts";

/** Shows the records of a block, one after the other, to a check between records. */
class BlockView implements RecordView {
  a = 0;
  b = 0;
  r = 0;
  private readonly sum: Hash = { a: 0, b: 0 };

  constructor(
    private readonly sifted: Sifted,
    private readonly fields: readonly Field[],
  ) {}

  /** A cell that is empty, or not of its type. */
  private lacksOne(field: number): boolean {
    const { start, end } = this.sifted.cells[field]!;
    return start[this.r] === end[this.r] || this.sifted.faults[field]![this.r] === NOT_OF_TYPE;
  }

  lacks(fields: readonly number[]): boolean {
    for (const f of fields) if (this.lacksOne(f)) return true;
    return false;
  }

  hash(fields: readonly number[]): void {
    const { sum, sifted, r } = this;
    startHash(sum);
    for (const f of fields) {
      const { start, end } = sifted.cells[f]!;
      hashCell(sum, this.fields[f]!.type, sifted.heap.bytes, start[r]!, end[r]!);
    }
    finishHash(sum);
    this.a = sum.a;
    this.b = sum.b;
  }

  number(field: number): number {
    if (this.lacksOne(field)) return NaN;
    const text = cellText(this.sifted.heap, this.sifted.cells[field]!, this.r);
    const { type } = this.fields[field]!;
    if (type === "date") return microsOf(text) / DAY;
    return type === "timestamp" ? microsOf(text) : Number(text);
  }

  get good(): boolean {
    const verdict = this.sifted.verdict[this.r];
    return verdict === VERDICT.passes || verdict === VERDICT.suspect;
  }

  get record(): number {
    return this.sifted.first + this.r;
  }

  get file(): number {
    return this.sifted.block.file;
  }

  get line(): number {
    return this.sifted.block.origin.line[this.r]!;
  }
}

/** Keeps what a check needs of a block's records; those that can't be read or were left out are none. */
export function takeBlock(sifted: Sifted, fields: readonly Field[], part: Between, runs: SortedRuns): void {
  const view = new BlockView(sifted, fields);
  for (view.r = 0; view.r < sifted.block.count; view.r++) {
    if (!isPassedOver(sifted.verdict[view.r]!)) part.take(view, runs);
  }
}
