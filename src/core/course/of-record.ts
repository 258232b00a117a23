import { printCheck } from "../check/identity.ts";
import type { Block } from "../kernel/block.ts";
import { cellText, textOf } from "../kernel/bytes.ts";
import { NOT_OF_TYPE } from "../kernel/verdict.ts";
import type { Compiled, Problem } from "./compiled.ts";
import { READ_PROBLEMS, fillWords } from "./problem-words.ts";
import type { Sifted } from "./sifted.ts";

interface ProblemIndex {
  /** By record of the block: its first problem, or -1. */
  readonly first: Int32Array;
  /** By problem: the record's next, or -1. */
  readonly next: Int32Array;
}

const indexes = new WeakMap<Sifted, ProblemIndex>();

/** Leads from a record to its problems; made once, when the first record of a block is asked about. */
function problemIndex(sifted: Sifted): ProblemIndex {
  const known = indexes.get(sifted);
  if (known) return known;
  const { problemRecord, block } = sifted;
  const index = {
    first: new Int32Array(block.count).fill(-1),
    next: new Int32Array(problemRecord.length),
  };
  for (let i = problemRecord.length - 1; i >= 0; i--) {
    const record = problemRecord[i]!;
    index.next[i] = index.first[record]!;
    index.first[record] = i;
  }
  indexes.set(sifted, index);
  return index;
}

/** The problems of one record of a block, but for those that only the whole load can show. */
export function problemsOf(sifted: Sifted, compiled: Compiled, record: number): Problem[] {
  const unreadable = sifted.block.unreadable.get(record);
  if (unreadable) {
    const words = READ_PROBLEMS[unreadable.reason];
    return [
      {
        check: printCheck({ kind: "read", reason: unreadable.reason }),
        field: "",
        value: "",
        message: words.message(unreadable.cells, sifted.block.width),
        expected: words.expected,
        onFailure: "hold",
      },
    ];
  }
  const problems: Problem[] = [];
  const { first, next } = problemIndex(sifted);
  for (let i = first[record]!; i >= 0; i = next[i]!) {
    const check = compiled.checks[sifted.problemCheck[i]!]!;
    const f = check.fields[0]!;
    const field = compiled.fields[f]!;
    const value = cellText(sifted.heap, sifted.cells[f]!, record);
    const words = check.kind === "rule" ? check.rule.words : undefined;
    const valueOf = (name: string): string | null => {
      const at = compiled.fields.findIndex((x) => x.name === name);
      return at < 0 ? null : cellText(sifted.heap, sifted.cells[at]!, record);
    };
    problems.push({
      check: check.key,
      field: field.name,
      value,
      message: words ? fillWords(words, valueOf) : check.message(field, value),
      expected: check.expected,
      onFailure: check.onFailure,
    });
  }
  return problems;
}

/** The cells of a record as they arrived, in the file's own columns. Empty for one that is unreadable. */
export function arrivedCells(block: Block, record: number): string[] {
  const cells: string[] = [];
  for (let c = record * block.width; c < (record + 1) * block.width; c++) {
    cells.push(textOf(block.heap.bytes, block.start[c]!, block.end[c]!));
  }
  return cells;
}

/** The values of a record by field, cleansed and canonical; a cell that is not of its type as it stands. */
export function fieldValues(sifted: Sifted, record: number): string[] {
  return sifted.cells.map((cells) => cellText(sifted.heap, cells, record));
}

/** The same, empty where a cell has no value that its type allows. */
export function soundValues(sifted: Sifted, record: number): string[] {
  return fieldValues(sifted, record).map((v, f) => (sifted.faults[f]![record] === NOT_OF_TYPE ? "" : v));
}

/** The values of a record by field as they stood before the checks, so that they can be checked again. */
export function cleansedValues(sifted: Sifted, record: number): string[] {
  return sifted.cleansed.map((cells) => cellText(sifted.heap, cells, record));
}

/** The raw bytes of a record, without its line end; of a record that was too long, its beginning. */
export function rawBytes(block: Block, record: number): Uint8Array {
  return block.heap.bytes.slice(block.origin.from[record]!, block.origin.to[record]!);
}
