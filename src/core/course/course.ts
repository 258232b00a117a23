import type { Spill } from "../check/repeats.ts";
import type { Late } from "../check/between/part.ts";
import type { RecordCourse } from "../cleanse/part.ts";
import { FormulaColumns } from "../formula/columns.ts";
import { EMPTY } from "../formula/value.ts";
import type { ControlText } from "../gate/part.ts";
import type { Block } from "../kernel/block.ts";
import { cellText } from "../kernel/bytes.ts";
import { Distinct } from "../kernel/distinct.ts";
import { NOT_OF_TYPE, OTHER_FAULT, VERDICT, isPassedOver } from "../kernel/verdict.ts";
import type { LookUpCounts } from "../lookup/compile.ts";
import { mapColumns, type Mapping } from "../map/columns.ts";
import { AskLists } from "./ask-lists.ts";
import { UnknownCodes, type CodesSeen } from "./codes.ts";
import type { Compiled, CompiledCheck } from "./compiled.ts";
import type { Sifted } from "./sifted.ts";
import { findUntouched, takeIn } from "./take-in.ts";
import { WholeDelivery } from "./whole.ts";
import { Work } from "./work.ts";

/** Records that are expected where nobody says how many. */
const USUAL_RECORDS = 1_000_000;

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
  /** By field, its different values, where those are counted. */
  readonly distinct: Distinct[];
  /** Where the sender says what was sent, of all files so far. */
  readonly controls: ControlText[] = [];
  /** What steps have found out about the file that is open. */
  readonly told = new Map<string, string>();

  private readonly work: Work;
  private readonly lists: AskLists;
  private readonly whole: WholeDelivery;
  private readonly unknownCodes: UnknownCodes;
  /** By number of a check by formula: its columns. */
  private readonly formulas: FormulaColumns[] = [];
  private readonly watch: number | undefined;
  private carried = new Map<string, string>();
  private fileFirst = 0;
  private total = 0;

  constructor(
    readonly compiled: Compiled,
    { spill, expected = USUAL_RECORDS, watch, distinct = false }: CourseOptions = {},
  ) {
    this.mapping = { column: new Int32Array(compiled.fields.length).fill(-1), extra: [], missing: [] };
    this.work = new Work(compiled);
    this.lists = new AskLists(compiled);
    this.whole = new WholeDelivery(compiled, spill, expected);
    this.unknownCodes = new UnknownCodes(compiled.fields);
    this.watch = watch;
    this.distinct = distinct ? compiled.fields.map(() => new Distinct()) : [];
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
    const { work, carry } = this;
    const first = this.fileFirst + block.first;
    work.begin(block);
    takeIn(work, block, this);
    this.cleanse();
    work.keepCleansed();
    this.leave();
    this.check(block, first);
    this.count(block);
    findUntouched(work, block, this.mapping);
    this.total = Math.max(this.total, first + block.count);
    const { cells, cleansed, faults, changed, untouched, left, leftOutBy, verdict } = work;
    const sifted: Sifted = {
      block,
      heap: block.heap,
      first,
      cells,
      cleansed,
      faults,
      changed,
      untouched,
      left,
      leftOutBy,
      verdict,
      problemRecord: work.problemRecord,
      problemCheck: work.problemCheck,
      tally: work.tally,
      carry,
    };
    this.whole.takeRecords(sifted);
    return sifted;
  }

  private cleanse(): void {
    const { compiled, work } = this;
    const { heap, count } = work;
    compiled.steps.forEach((step, number) => {
      if (step.record) {
        work.tally.steps[number]! += step.record(this.recordsFor(number));
        return;
      }
      for (const f of step.fields) {
        if (this.mapping.column[f] === -1 && !compiled.made.has(compiled.fields[f]!.name)) continue;
        work.tally.steps[number]! += step.apply(heap, work.cells[f]!, count, this.changesOf(number, f));
      }
    });
  }

  /** Where a step notes which cells of a field it changed. */
  private changesOf(step: number, f: number): Uint8Array {
    return this.watch === undefined || this.watch === step ? this.work.changed[f]! : this.work.unwatched;
  }

  /** The block's records as a step sees them that needs more of them than one cell. */
  private recordsFor(step: number): RecordCourse {
    const { work } = this;
    const { verdict, leftOutBy } = work;
    return {
      heap: work.heap,
      count: work.count,
      fields: this.compiled.readAs,
      cells: work.cells,
      changed: (f) => this.changesOf(step, f),
      skip: (r) => verdict[r] !== VERDICT.passes,
      leaveOut: (r) => {
        verdict[r] = VERDICT.leftOut;
        leftOutBy[r] = step + 1;
      },
      begins: (r) => this.fileOf !== null && r > 0 && this.fileOf(r) !== this.fileOf(r - 1),
      carried: (name) => this.carried.get(`${step} ${name}`) ?? "",
      carry: (name, value) => void this.carried.set(`${step} ${name}`, value),
      tell: (name, words) => void this.told.set(name, words),
    };
  }

  /** Empties the cells that only say that the target's value is to be left, so that no check asks more of them. */
  private leave(): void {
    const { heap, count, cells } = this.work;
    for (const [f, texts] of this.compiled.leaves) {
      const { start, end } = cells[f]!;
      const left = this.work.left.get(f)!;
      for (let r = 0; r < count; r++) {
        left[r] = start[r] !== end[r] && texts.has(cellText(heap, cells[f]!, r)) ? 1 : 0;
        if (left[r] === 1) end[r] = start[r]!;
      }
    }
  }

  private check(block: Block, first: number): void {
    let lookedUp = false;
    this.compiled.checks.forEach((check, c) => {
      if (check.kind === "look-up") {
        // All look-ups at once, in their order: the checks after this one may be about what they bring.
        if (!lookedUp) this.lists.run(this.work);
        lookedUp = true;
      } else if (check.off !== null) return;
      else if (check.kind === "unique") this.whole.takeValues(c, this.work, block, first);
      else if (check.kind === "rule") this.checkByFormula(check, c);
      else if (check.kind === "cell") this.checkCells(check, c);
    });
  }

  /** A check of one field's cells. */
  private checkCells(check: Extract<CompiledCheck, { kind: "cell" }>, c: number): void {
    const { work } = this;
    const { heap, count, verdict, failing } = work;
    const f = check.fields[0]!;
    const faults = work.faults[f]!;
    const failed = check.test(heap, work.cells[f]!, count, failing);
    const code = check.isType && this.unknownCodes.has(f);
    for (let i = 0; i < failed; i++) {
      const r = failing[i]!;
      // Nothing more is said of a value that is not of its type, nor of a record that can't be read.
      if (faults[r] === NOT_OF_TYPE || isPassedOver(verdict[r]!)) continue;
      work.fault(f, r, check.isType ? NOT_OF_TYPE : OTHER_FAULT);
      if (code) this.unknownCodes.add(f, cellText(heap, work.cells[f]!, r));
      if (check.onFailure !== "note") verdict[r] = VERDICT.held;
      work.note(r, c);
    }
  }

  /** A check by a formula. Records that lack a value of its type for it have been told of that already. */
  private checkByFormula({ rule, onFailure }: Extract<CompiledCheck, { kind: "rule" }>, c: number): void {
    const { compiled, work } = this;
    const { verdict, faults, heap, cells, count } = work;
    const { formula, it } = rule;
    const columns = (this.formulas[c] ??= new FormulaColumns(formula));
    columns.read({ fields: compiled.fields, heap, cells }, count, true);
    records: for (let r = 0; r < count; r++) {
      if (isPassedOver(verdict[r]!)) continue;
      for (const f of formula.uses) if (faults[f]![r] === NOT_OF_TYPE) continue records;
      try {
        const value = columns.value(r);
        if (value === true || value === EMPTY) continue;
      } catch {
        // A formula without a value does not hold.
      }
      if (it >= 0) work.fault(it, r);
      if (onFailure !== "note") verdict[r] = VERDICT.held;
      work.note(r, c);
    }
  }

  private count(block: Block): void {
    const { verdict, tally, cells } = this.work;
    const { count, heap } = block;
    const view = new DataView(heap.bytes.buffer, heap.bytes.byteOffset, heap.bytes.length);
    tally.read = count;
    tally.unreadable = block.unreadable.size;
    for (let r = 0; r < count; r++) if (verdict[r] === VERDICT.held) tally.held++;
    for (let f = 0; f < cells.length; f++) {
      const { start, end } = cells[f]!;
      const faults = this.work.faults[f]!;
      const changed = this.work.changed[f]!;
      this.distinct[f]?.addCells(view, cells[f]!, count);
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

  /** After the last block: how the records came out of each look-up. */
  lookUpCounts(): LookUpCounts[] {
    return this.lists.counts();
  }

  /** After the last block: for each code field, which of its values came, and what came that is not among them. */
  codes(): CodesSeen[] {
    return this.unknownCodes.seen(this.distinct);
  }

  /**
   * After the last block: what only the whole delivery shows, by the number of its check. Repeats of
   * a value that must be unique, and records that do not go with others.
   */
  resolveLate(): Generator<{ check: number; found: Late[] }> {
    return this.whole.resolve();
  }
}
