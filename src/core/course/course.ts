import type { Sifted } from "./sifted.ts";
import type { Block } from "../kernel/block.ts";
import { cellText, emptyCells, utf8, type Cells, type Heap } from "../kernel/bytes.ts";
import type { RecordCourse } from "../cleanse/part.ts";
import { LookUpTally, proposedEntry, type LookUpCounts } from "../lookup/compile.ts";
import type { ControlText } from "../gate/part.ts";
import { FormulaColumns } from "../formula/columns.ts";
import { EMPTY } from "../formula/value.ts";
import { Repeats, type Spill } from "../check/repeats.ts";
import type { Late } from "../check/between/part.ts";
import { SortedRuns } from "../check/between/runs.ts";
import { takeBlock } from "./between-view.ts";
import { finishHash, hash32, startHash, type Hash } from "../kernel/hash.ts";
import { hashCell } from "../type/hash-cell.ts";
import { ABOUT, mapColumns, type Mapping } from "../map/columns.ts";
import { Distinct } from "../kernel/distinct.ts";
import { newTally, type Tally } from "./tally.ts";
import type { Compiled, CompiledRule } from "./compiled.ts";
import { typePart } from "../type/index.ts";
import { NOT_OF_TYPE, OTHER_FAULT, VERDICT, isPassedOver } from "../kernel/verdict.ts";

/** What came in a code field. */
export interface CodesSeen {
  readonly field: string;
  /** Values of its list that came at all; empty where too many different values came to say. */
  readonly seen: readonly string[];
  /** Values that are not in its list, the commonest first. */
  readonly unknown: readonly { readonly value: string; readonly count: number }[];
}

/** Values outside of a code's list that are counted one by one. */
const MOST_UNKNOWN = 200;

/** Late problems that are told of at a time. */
const LATE_AT_ONCE = 5_000;

export interface CourseOptions {
  /** Where hashes of values that must be unique are kept; without it, nothing is looked for that needs the whole delivery. */
  readonly spill?: Spill | undefined;
  /** How many records are expected, for sizing. */
  readonly expected?: number | undefined;
  /** The number of a step whose changes `Sifted.changed` is to show alone. */
  readonly watch?: number | undefined;
  /** Count different values of each field. */
  readonly distinct?: boolean | undefined;
}

/**
 * The course of a block through Map, Cleanse and Check. Blocks must come in the order of the
 * delivery when repeats are looked for; otherwise any block can be run at any time, and gives the
 * same result.
 */
export class Course {
  mapping: Mapping;
  /** Blocks of the file that is open can be read again from their byte ranges. */
  resumable = true;
  /** Name of the file, or the sheet, that is open. */
  fileName = "";
  /** The name of a record's file by its number in the block, where records of several files are run as one. */
  fileOf: ((record: number) => string) | null = null;
  /** Columns of the file that is open. */
  columns: readonly string[] = [];
  readonly distinct: Distinct[] = [];
  private readonly repeats: (Repeats | null)[];
  /** By number of a check between records: what it has kept of them. */
  private readonly runs: (SortedRuns | null)[];
  /** By number of a check by formula: its columns. */
  private readonly formulas: FormulaColumns[] = [];
  /** For each code field, values that are not in its list, with their counts. */
  private readonly unknown = new Map<number, Map<string, number>>();
  private readonly lookUpTallies: LookUpTally[];
  private readonly cells: Cells[] = [];
  private readonly cleansed: Cells[] = [];
  private readonly faults: Uint8Array[] = [];
  private readonly changed: Uint8Array[] = [];
  private verdict = new Uint8Array(0);
  private bad = new Int32Array(0);
  private readonly hash: Hash = { a: 0, b: 0 };
  private readonly watch: number | undefined;
  private untouched = new Int32Array(0);
  private leftOutBy = new Int32Array(0);
  private readonly left = new Map<number, Uint8Array>();
  private unwatched = new Uint8Array(0);
  /** Where the sender says what was sent, of all files so far. */
  readonly controls: ControlText[] = [];
  /** What steps have found out about the file that is open. */
  readonly told = new Map<string, string>();
  private carried = new Map<string, string>();
  private fileFirst = 0;
  private total = 0;

  constructor(
    readonly compiled: Compiled,
    options: CourseOptions = {},
  ) {
    this.mapping = { column: new Int32Array(compiled.fields.length).fill(-1), extra: [], missing: [] };
    const { spill } = options;
    this.watch = options.watch;
    this.repeats = compiled.checks.map((c) =>
      c.kind === "unique" && spill && c.off === null ? new Repeats(options.expected ?? 1_000_000, spill) : null,
    );
    this.runs = compiled.checks.map((c) =>
      c.kind === "between" && spill && c.off === null ? new SortedRuns(spill) : null,
    );
    this.lookUpTallies = compiled.lookUps.map(() => new LookUpTally());
    compiled.fields.forEach((field, f) => field.type === "code" && this.unknown.set(f, new Map()));
    if (options.distinct) for (const _ of compiled.fields) this.distinct.push(new Distinct());
  }

  /** What steps carry from the records so far to the next ones of the file, as a text that can be kept. */
  get carry(): string {
    return this.carried.size === 0 ? "" : JSON.stringify([...this.carried]);
  }

  set carry(text: string) {
    this.carried = new Map(text === "" ? [] : (JSON.parse(text) as [string, string][]));
  }

  /** Begins a file: its columns meet the fields by name. `first`: the delivery's number of its first record. */
  openFile(columns: readonly string[], first = this.total): Mapping {
    this.setColumns(columns);
    this.carried.clear();
    this.told.clear();
    this.fileFirst = first;
    return this.mapping;
  }

  /** The columns of the file that is open, where more of them have come to light. */
  setColumns(columns: readonly string[]): void {
    this.columns = columns;
    const mapping = mapColumns(columns, this.compiled.fields);
    const { made } = this.compiled;
    this.mapping = made.size === 0 ? mapping : { ...mapping, missing: mapping.missing.filter((n) => !made.has(n)) };
  }

  run(block: Block): Sifted {
    const { compiled } = this;
    const { count, heap } = block;
    this.room(count);
    const tally = newTally(compiled);
    const { verdict, bad, leftOutBy } = this;
    const { carry } = this;
    verdict.fill(0, 0, count);
    this.map(block);
    for (const r of block.unreadable.keys()) verdict[r] = VERDICT.unreadable;

    const records: RecordCourse = {
      heap,
      count,
      fields: compiled.readAs,
      cells: this.cells,
      changed: (f) => (this.watch === undefined || this.watch === i ? this.changed[f]! : this.unwatched),
      skip: (r) => verdict[r] !== VERDICT.passes,
      leaveOut: (r) => {
        verdict[r] = VERDICT.leftOut;
        leftOutBy[r] = i + 1;
      },
      begins: (r) => this.fileOf !== null && r > 0 && this.fileOf(r) !== this.fileOf(r - 1),
      carried: (name) => this.carried.get(`${i} ${name}`) ?? "",
      carry: (name, value) => void this.carried.set(`${i} ${name}`, value),
      tell: (name, words) => void this.told.set(name, words),
    };
    // The number of the step at hand.
    let i = 0;
    leftOutBy.fill(0, 0, count);
    compiled.steps.forEach((step, number) => {
      i = number;
      if (step.record) {
        tally.steps[i]! += step.record(records);
        return;
      }
      for (const f of step.fields) {
        if (this.mapping.column[f] === -1 && !compiled.made.has(compiled.fields[f]!.name)) continue;
        const watched = this.watch === undefined || this.watch === i;
        tally.steps[i]! += step.apply(heap, this.cells[f]!, count, watched ? this.changed[f]! : this.unwatched);
      }
    });

    this.cleansed.forEach((kept, f) => {
      const { start, end } = this.cells[f]!;
      if (kept.start === start) return;
      kept.start.set(start);
      kept.end.set(end);
    });

    this.leave(block);

    const problemRecord: number[] = [];
    const problemCheck: number[] = [];
    const first = this.fileFirst + block.first;
    let lookedUp = false;
    compiled.checks.forEach((check, c) => {
      const holds = check.onFailure !== "note";
      if (check.kind === "look-up") {
        // All look-ups at once, in their order: the checks after this one may be about what they bring.
        if (!lookedUp) this.lookUp(block, problemRecord, problemCheck, tally);
        lookedUp = true;
        return;
      }
      const repeats = this.repeats[c];
      if (repeats) {
        this.findRepeats(block, first, check.fields, repeats, holds);
        return;
      }
      if (check.off !== null) return;
      if (check.kind === "rule") {
        this.judge(check.rule, c, holds, block, problemRecord, problemCheck, tally);
        return;
      }
      if (check.kind !== "cell") return;
      const f = check.fields[0]!;
      const faults = this.faults[f]!;
      const fault = check.isType ? NOT_OF_TYPE : OTHER_FAULT;
      const failed = check.test(heap, this.cells[f]!, count, bad);
      const unknown = check.isType ? this.unknown.get(f) : undefined;
      for (let i = 0; i < failed; i++) {
        const r = bad[i]!;
        // Nothing more is said of a value that is not of its type, nor of a record that can't be read.
        if (faults[r] === NOT_OF_TYPE || isPassedOver(verdict[r]!)) continue;
        if (!faults[r]) faults[r] = fault;
        if (unknown) this.countUnknown(unknown, heap, f, r);
        if (holds) verdict[r] = VERDICT.held;
        tally.checks[c]!++;
        problemRecord.push(r);
        problemCheck.push(c);
      }
    });

    this.count(block, tally);
    this.findUntouched(block);
    this.total = Math.max(this.total, first + count);
    const sifted: Sifted = {
      block,
      heap,
      first,
      cells: this.cells,
      cleansed: this.cleansed,
      faults: this.faults,
      changed: this.changed,
      untouched: this.untouched,
      left: this.left,
      leftOutBy,
      verdict,
      problemRecord,
      problemCheck,
      tally,
      carry,
    };
    compiled.checks.forEach((check, c) => {
      const runs = this.runs[c];
      if (runs && check.kind === "between") takeBlock(sifted, compiled.fields, check.between.part, runs);
    });
    return sifted;
  }

  /** Empties the cells that only say that the target's value is to be left, so that no check asks more of them. */
  private leave({ heap, count }: Block): void {
    for (const [f, texts] of this.compiled.leaves) {
      const { start, end } = this.cells[f]!;
      const left = this.left.get(f)!;
      for (let r = 0; r < count; r++) {
        left[r] = start[r] !== end[r] && texts.has(cellText(heap, this.cells[f]!, r)) ? 1 : 0;
        if (left[r] === 1) end[r] = start[r]!;
      }
    }
  }

  /** Asks the reference lists, and fills what they bring. */
  private lookUp(block: Block, problemRecord: number[], problemCheck: number[], tally: Tally): void {
    const { compiled, cells, verdict, faults } = this;
    const { heap, count } = block;
    const set = (f: number, r: number, value: string): void => {
      if (f < 0 || value === cellText(heap, cells[f]!, r)) return;
      cells[f]!.start[r] = heap.append(value);
      cells[f]!.end[r] = heap.length;
      this.changed[f]![r] = 1;
    };
    compiled.lookUps.forEach((l, i) => {
      const { ask, reference } = l;
      if (!ask || !reference) return;
      records: for (let r = 0; r < count; r++) {
        if (isPassedOver(verdict[r]!)) continue;
        // A value that is no value of its type has been told of already.
        for (const f of l.asks) if (faults[f]![r] === NOT_OF_TYPE) continue records;
        const values = l.asks.map((f) => cellText(heap, cells[f]!, r));
        const found = ask(values, l.on < 0 ? "" : cellText(heap, cells[l.on]!, r));
        this.lookUpTallies[i]!.add(found.result, values, found.entry);
        if (found.result === "none" && l.lookUp.none === "propose") {
          this.lookUpTallies[i]!.propose(proposedEntry(l, values, (f) => cellText(heap, cells[f]!, r)));
        }
        if (l.scoreIn >= 0 && found.result !== "empty") set(l.scoreIn, r, String(found.score));
        if (l.leadIn >= 0 && found.result !== "empty") set(l.leadIn, r, String(found.lead));
        for (const { field, column, otherwise } of l.bring) {
          if (found.entry >= 0) {
            if (column >= 0) set(field, r, reference.entries[found.entry]![column]!);
          } else if (otherwise !== null) set(field, r, otherwise);
        }
        if (found.result !== "none" && found.result !== "several") continue;
        const policy = found.result === "none" ? l.lookUp.none : l.lookUp.several;
        const check = found.result === "none" ? l.noneCheck : l.severalCheck;
        if (policy === "pass" || check < 0) continue;
        const f = l.asks[0]!;
        if (faults[f]![r] === 0) faults[f]![r] = OTHER_FAULT;
        if (policy !== "note" && policy !== "propose") {
          if (verdict[r] === VERDICT.passes) verdict[r] = VERDICT.unmatched;
          // What was not brought is not told of again as empty.
          for (const filled of l.fills)
            if (cells[filled]!.start[r] === cells[filled]!.end[r]) faults[filled]![r] = NOT_OF_TYPE;
        }
        tally.checks[check]!++;
        problemRecord.push(r);
        problemCheck.push(check);
      }
    });
  }

  /** After the last block: how the records came out of each look-up. */
  lookUpCounts(): LookUpCounts[] {
    return this.compiled.lookUps.flatMap((l, i) => (l.ask ? [this.lookUpTallies[i]!.finish(l)] : []));
  }

  /** A check by a formula. Records that lack a value of its type for it have been told of that already. */
  private judge(
    { formula, it }: CompiledRule,
    check: number,
    holds: boolean,
    block: Block,
    problemRecord: number[],
    problemCheck: number[],
    tally: Tally,
  ): void {
    const { verdict, compiled } = this;
    const columns = (this.formulas[check] ??= new FormulaColumns(formula));
    columns.read({ fields: compiled.fields, heap: block.heap, cells: this.cells }, block.count, true);
    records: for (let r = 0; r < block.count; r++) {
      if (isPassedOver(verdict[r]!)) continue;
      for (const f of formula.uses) if (this.faults[f]![r] === NOT_OF_TYPE) continue records;
      try {
        const value = columns.value(r);
        if (value === true || value === EMPTY) continue;
      } catch {
        // A formula without a value does not hold.
      }
      if (it >= 0 && this.faults[it]![r] === 0) this.faults[it]![r] = OTHER_FAULT;
      if (holds) verdict[r] = VERDICT.held;
      tally.checks[check]!++;
      problemRecord.push(r);
      problemCheck.push(check);
    }
  }

  private countUnknown(values: Map<string, number>, heap: Heap, f: number, r: number): void {
    const value = cellText(heap, this.cells[f]!, r);
    const known = values.get(value);
    if (known !== undefined || values.size < MOST_UNKNOWN) values.set(value, (known ?? 0) + 1);
  }

  /** After the last block: for each code field, which of its values came, and what came that is not among them. */
  codes(): CodesSeen[] {
    return [...this.unknown].map(([f, values]) => {
      const field = this.compiled.fields[f]!;
      const distinct = this.distinct[f];
      const seen = (field.values ?? []).filter((value) => {
        const bytes = utf8(value);
        return distinct?.has(hash32(new DataView(bytes.buffer, bytes.byteOffset, bytes.length), 0, bytes.length));
      });
      const unknown = [...values].map(([value, count]) => ({ value, count })).sort((a, b) => b.count - a.count);
      return { field: field.name, seen, unknown };
    });
  }

  /**
   * After the last block: what only the whole delivery shows, by the number of its check. Repeats of
   * a value that must be unique, and records that do not go with others.
   */
  *resolveLate(): Generator<{ check: number; found: Late[] }> {
    for (let check = 0; check < this.repeats.length; check++) {
      for (const found of this.repeats[check]?.resolve() ?? []) {
        yield { check, found: found.map(({ record, file, line }) => ({ record, file, line, detail: null })) };
      }
      const runs = this.runs[check];
      const own = this.compiled.checks[check]!;
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

  private room(count: number): void {
    if (this.verdict.length >= count) return;
    this.verdict = new Uint8Array(count);
    this.bad = new Int32Array(count);
    this.untouched = new Int32Array(count);
    this.leftOutBy = new Int32Array(count);
    this.unwatched = new Uint8Array(count);
    this.compiled.fields.forEach((field, f) => {
      this.cells[f] = emptyCells(count);
      const own = typePart(field.type).rewrites || this.compiled.leaves.has(f);
      this.cleansed[f] = own ? emptyCells(count) : this.cells[f];
      if (this.compiled.leaves.has(f)) this.left.set(f, new Uint8Array(count));
      this.faults[f] = new Uint8Array(count);
      this.changed[f] = new Uint8Array(count);
    });
  }

  private map(block: Block): void {
    const { count, width } = block;
    for (let f = 0; f < this.compiled.fields.length; f++) {
      this.faults[f]!.fill(0, 0, count);
      this.changed[f]!.fill(0, 0, count);
      const { start, end } = this.cells[f]!;
      const column = this.mapping.column[f]!;
      if (column < -1) {
        this.mapAbout(block, column, start, end);
        continue;
      }
      // A document's column that first comes later in the file is not in this block yet.
      if (column === -1 || column >= width) {
        start.fill(0, 0, count);
        end.fill(0, 0, count);
        continue;
      }
      for (let r = 0, i = column; r < count; r++, i += width) {
        start[r] = block.start[i]!;
        end[r] = block.end[i]!;
      }
    }
  }

  /** Fields that are about the record: its file, or its line. */
  private mapAbout(block: Block, what: number, start: Int32Array, end: Int32Array): void {
    const { heap, count } = block;
    if (what === ABOUT["@file"] && this.fileOf) {
      for (let r = 0; r < count; r++) {
        start[r] = heap.append(this.fileOf(r));
        end[r] = heap.length;
      }
    } else if (what === ABOUT["@file"]) {
      start.fill(heap.append(this.fileName), 0, count);
      end.fill(heap.length, 0, count);
    } else {
      for (let r = 0; r < count; r++) {
        start[r] = heap.append(String(block.origin.line[r]));
        end[r] = heap.length;
      }
    }
    for (const r of block.unreadable.keys()) end[r] = start[r]!;
  }

  private findUntouched(block: Block): void {
    const { untouched, mapping } = this;
    const { count, width } = block;
    let most = 0;
    while (most < this.cells.length && mapping.column[most] === most) most++;
    for (let r = 0; r < count; r++) untouched[r] = Math.min(most, block.plain[r]!);
    for (let f = 0; f < most; f++) {
      const { start, end } = this.cells[f]!;
      const faults = this.faults[f]!;
      for (let r = 0, i = f; r < count; r++, i += width) {
        if (
          (start[r] !== block.start[i] || end[r] !== block.end[i] || faults[r] === NOT_OF_TYPE) &&
          untouched[r]! > f
        ) {
          untouched[r] = f;
        }
      }
    }
  }

  private findRepeats(block: Block, first: number, fields: readonly number[], repeats: Repeats, holds: boolean): void {
    const { verdict, hash } = this;
    const { line } = block.origin;
    records: for (let r = 0; r < block.count; r++) {
      if (isPassedOver(verdict[r]!)) continue;
      startHash(hash);
      for (const f of fields) {
        const { start, end } = this.cells[f]!;
        if (start[r] === end[r] || this.faults[f]![r] === NOT_OF_TYPE) continue records;
        hashCell(hash, this.compiled.fields[f]!.type, block.heap.bytes, start[r]!, end[r]!);
      }
      finishHash(hash);
      const seen = repeats.add(hash.a, hash.b, first + r, block.file, line[r]!);
      if (seen && holds && verdict[r] === VERDICT.passes) verdict[r] = VERDICT.suspect;
    }
  }

  private count(block: Block, tally: Tally): void {
    const { verdict } = this;
    const { count, heap } = block;
    const view = new DataView(heap.bytes.buffer, heap.bytes.byteOffset, heap.bytes.length);
    tally.read = count;
    tally.unreadable = block.unreadable.size;
    for (let r = 0; r < count; r++) if (verdict[r] === VERDICT.held) tally.held++;
    for (let f = 0; f < this.cells.length; f++) {
      const { start, end } = this.cells[f]!;
      const faults = this.faults[f]!;
      const changed = this.changed[f]!;
      this.distinct[f]?.addCells(view, this.cells[f]!, count);
      let filled = 0;
      let faulty = 0;
      let changes = 0;
      for (let r = 0; r < count; r++) {
        changes += changed[r]!;
        if (start[r] === end[r]) continue;
        filled++;
        if (faults[r]! !== 0) faulty++;
      }
      tally.filled[f] = filled;
      tally.faulty[f] = faulty;
      tally.changed[f] = changes;
    }
  }
}
