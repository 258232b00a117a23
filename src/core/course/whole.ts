import type { Block } from "../kernel/block.ts";
import type { Late } from "../check/between/part.ts";
import { SortedRuns } from "../check/between/runs.ts";
import { Repeats, type Spill } from "../check/repeats.ts";
import { finishHash, startHash, type Hash } from "../kernel/hash.ts";
import { NOT_OF_TYPE, VERDICT, isPassedOver } from "../kernel/verdict.ts";
import { hashCell } from "../type/hash-cell.ts";
import { takeBlock } from "./between-view.ts";
import type { Compiled } from "./compiled.ts";
import type { Sifted } from "./sifted.ts";
import type { Work } from "./work.ts";

/** Late problems that are told of at a time. */
const LATE_AT_ONCE = 5_000;

/** What only the whole delivery shows: values that come again, and records that do not go with others. */
export class WholeDelivery {
  /** By number of a check that values come once. */
  private readonly repeats: (Repeats | null)[];
  /** By number of a check between records: what it has kept of them. */
  private readonly runs: (SortedRuns | null)[];
  private readonly hash: Hash = { a: 0, b: 0 };

  /** `spill`: where what is kept of the records goes; without one nothing is looked for. */
  constructor(
    private readonly compiled: Compiled,
    spill: Spill | undefined,
    expected: number,
  ) {
    const { checks } = compiled;
    this.repeats = checks.map((c) =>
      c.kind === "unique" && spill && c.off === null ? new Repeats(expected, spill) : null,
    );
    this.runs = checks.map((c) => (c.kind === "between" && spill && c.off === null ? new SortedRuns(spill) : null));
  }

  /** Takes in the values of a check that they come once, and sets those aside that may have come before. */
  takeValues(check: number, work: Work, block: Block, first: number): void {
    const repeats = this.repeats[check];
    if (!repeats) return;
    const { compiled, hash } = this;
    const { verdict, cells, faults } = work;
    const { fields, onFailure } = compiled.checks[check]!;
    const { line } = block.origin;
    records: for (let r = 0; r < block.count; r++) {
      if (isPassedOver(verdict[r]!)) continue;
      startHash(hash);
      for (const f of fields) {
        const { start, end } = cells[f]!;
        if (start[r] === end[r] || faults[f]![r] === NOT_OF_TYPE) continue records;
        hashCell(hash, compiled.fields[f]!.type, block.heap.bytes, start[r]!, end[r]!);
      }
      finishHash(hash);
      const seen = repeats.add(hash.a, hash.b, first + r, block.file, line[r]!);
      if (seen && onFailure !== "note" && verdict[r] === VERDICT.passes) verdict[r] = VERDICT.suspect;
    }
  }

  /** Takes in the records of a block that has been through all else. */
  takeRecords(sifted: Sifted): void {
    this.compiled.checks.forEach((check, c) => {
      const runs = this.runs[c];
      if (runs && check.kind === "between") takeBlock(sifted, this.compiled.fields, check.between.part, runs);
    });
  }

  /** After the last block: what was found, by the number of its check. */
  *resolve(): Generator<{ check: number; found: Late[] }> {
    for (const [check, own] of this.compiled.checks.entries()) {
      for (const found of this.repeats[check]?.resolve() ?? []) {
        yield { check, found: found.map(({ record, file, line }) => ({ record, file, line, detail: null })) };
      }
      const runs = this.runs[check];
      if (!runs || own.kind !== "between") continue;
      let found: Late[] = [];
      for (const late of own.between.part.resolve(runs)) {
        found.push(late);
        if (found.length < LATE_AT_ONCE) continue;
        yield { check, found };
        found = [];
      }
      if (found.length > 0) yield { check, found };
    }
  }
}
