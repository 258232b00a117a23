import type { MatchTable, NewValues, Values } from "./table.ts";

/**
 * Records that one thread made plain for another: by field the numbers of their values as that thread
 * numbers them, and the values that it has met since it last told.
 */
export interface NumberedRecords {
  readonly columns: readonly Int32Array[];
  readonly fresh: readonly NewValues[];
}

/** Makes records plain for another thread, and remembers which values that one was told. */
export class NumbersRecords {
  /** By field: the first value that was not told yet. */
  private readonly told: number[];

  constructor(private readonly values: readonly Values[]) {
    this.told = values.map(() => 1);
  }

  /** `cells`: those of one record after those of another, one for each field. */
  numbered(cells: readonly string[]): NumberedRecords {
    const { values, told } = this;
    const width = values.length;
    const columns = values.map((v, f) =>
      Int32Array.from({ length: cells.length / width }, (_, r) => v.numberOf(cells[r * width + f]!)),
    );
    const fresh = values.map((v, f) => v.from(told[f]!));
    fresh.forEach(({ texts }, f) => (told[f]! += texts.length));
    return { columns, fresh };
  }
}

/** Takes in what another thread has made plain, message by message in their order. */
export class TakesNumbered {
  /** By field and number of the other thread: the number here. */
  private readonly numbers: number[][];

  constructor(private readonly values: readonly Values[]) {
    this.numbers = values.map(() => [0]);
  }

  /** Puts the records where they were left room for. */
  take(table: MatchTable, at: number, { columns, fresh }: NumberedRecords): void {
    this.values.forEach((v, f) => {
      const numbers = this.numbers[f]!;
      for (const n of v.takeIn(fresh[f]!)) numbers.push(n);
      const list = table.column(f);
      columns[f]!.forEach((n, r) => (list[at + r] = numbers[n]!));
    });
  }
}
