import { Heap, concat, isUtf8, textOf } from "../../kernel/bytes.ts";
import type { Block, Origins, Unreadable } from "../../kernel/block.ts";
import { SieveError, grouped } from "../../kernel/problem.ts";
import { decodingOf, type Decoding } from "../encoding/decode.ts";
import { decodeCell, hasReplacement, unescapeCell } from "./cells.ts";
import { distinctNames, headingFault } from "./columns.ts";
import { lastLines, refuseUnfit, startsWith } from "./marks.ts";
import { LONGEST_RECORD, MOST_COLUMNS, type DelimitedOptions } from "../options.ts";
import { RecordScan, marksOf, type Marks } from "./scan.ts";
import { Window } from "./window.ts";

/** Most records of one block. */
const BLOCK_RECORDS = 8192;
/** Most cells of one block, so that a wide file has blocks of fewer records. */
const BLOCK_CELLS = 1 << 17;
/** Bytes that are kept of the lines at the end that are no records. */
const TRAILER_BYTES = 1 << 14;
/** The last byte that is a whole character by itself in every encoding that is read. */
const LAST_ASCII = 127;
const latin1 = new TextDecoder("latin1");

/** Where in a file to begin again: what the ledger keeps of each block. */
export interface ResumeAt {
  readonly byte: number;
  readonly line: number;
  readonly record: number;
  readonly columns: readonly string[];
}

/**
 * A streaming reader of delimited text: RFC 4180, and also lone LF and lone CR as line ends, any
 * delimiter, and stray quotes inside an unquoted cell, which are part of the value.
 *
 * What can't be read is a record like any other, named in `Block.unreadable`, and derails no other
 * record. A quoted cell must close before a delimiter or a line end. Where it does not, or where
 * the record then has the wrong number of cells and the line after it the right one, the quote is
 * taken for a stray one: the record ends at the first line end after it, and reading goes on with
 * the next line.
 *
 * Lines with nothing on them are not records, except in a file of one column past its first line
 * that has something on it.
 */
export class DelimitedReader {
  /** Names of the columns, or "1", "2", … without a header; null until they are known. */
  columns: readonly string[] | null = null;

  private readonly decoding: Decoding;
  private readonly marks: Marks;
  private readonly window: Window;
  private readonly found: RecordScan;
  /** Lines at the end that are no records, and what may be those: it waits here for more. */
  private readonly skipEnd: number;
  private tail = new Uint8Array(0);
  /** After the last bytes: the lines at the end that are no records, as ISO 8859-1; at most some kilobytes. */
  get trailer(): string {
    return latin1.decode(this.tail.subarray(0, TRAILER_BYTES));
  }

  private line: number;
  private record: number;
  private toSkip: number;
  private begun: boolean;
  /** A record past the limit, whose end has not been seen; its beginning is in the window before its position. */
  private long: { start: number; line: number } | null = null;

  private start = new Int32Array(0);
  private end = new Int32Array(0);
  private capacity = 0;
  private count = 0;
  private readonly plain = new Int32Array(BLOCK_RECORDS);
  private readonly origin: Origins;
  private unreadable = new Map<number, Unreadable>();
  /** Records with bytes over 127 (only those need decoding). */
  private high: number[] = [];
  /** Cells in the record that `scan` saw last. */
  private seen = 0;

  constructor(
    private readonly options: DelimitedOptions,
    private readonly file = 0,
    resume?: ResumeAt,
  ) {
    refuseUnfit(options);
    this.decoding = decodingOf(options.encoding);
    this.marks = marksOf(options);
    this.window = new Window(this.marks, this.decoding.kind === "units", resume?.byte ?? 0);
    this.found = new RecordScan(this.marks, this.window);
    this.skipEnd = resume ? 0 : (options.skip_end ?? 0);

    const n = BLOCK_RECORDS;
    this.origin = {
      line: new Int32Array(n),
      start: new Float64Array(n),
      end: new Float64Array(n),
      from: new Int32Array(n),
      to: new Int32Array(n),
    };
    this.line = resume?.line ?? 1;
    this.record = resume?.record ?? 0;
    this.toSkip = resume ? 0 : options.skip;
    this.begun = resume !== undefined;
    if (resume) this.setColumns(resume.columns);
  }

  /**
   * Takes the next bytes of the file and yields the blocks that they complete. Each block must be
   * used before the next is asked for. Give `last` with the final bytes (which may be none).
   * Throws SieveError where the file as a whole can't be read.
   */
  *push(chunk: Uint8Array, last: boolean): Generator<Block> {
    this.take(chunk, last);
    if (!this.begun) {
      if (!this.window.skipByteOrderMark(last)) return;
      this.begun = true;
    }
    while (this.toSkip > 0) if (!this.skipLine(last)) return;
    if (!this.columns) {
      if (!this.readColumns(last)) return;
      this.toSkip = this.options.header ? (this.options.below ?? 0) : 0;
    }
    while (this.toSkip > 0) if (!this.skipLine(last)) return;
    for (;;) {
      const more = this.scan(last, this.columns!.length, this.capacity, false);
      if (this.count > 0) {
        const block = this.block();
        yield block;
        // Steps may have needed more room than the window had; the next blocks will too.
        this.window.bytes = block.heap.bytes as Uint8Array<ArrayBuffer>;
      }
      if (!more) break;
    }
  }

  private take(chunk: Uint8Array, last: boolean): void {
    let bytes = chunk;
    if (this.decoding.kind === "units") {
      bytes = new TextEncoder().encode(this.decoding.decoder.decode(chunk, { stream: !last }));
    }
    if (this.skipEnd > 0) {
      const all = concat([this.tail, bytes]);
      const cut = lastLines(all, this.skipEnd, this.marks);
      this.tail = all.slice(cut);
      bytes = all.subarray(0, cut);
    }
    this.window.take(bytes, last, this.long ? this.window.pos : 0);
  }

  private skipLine(last: boolean): boolean {
    const { window } = this;
    const at = window.nextLineEnd(window.pos);
    if (at >= window.have) {
      if (last) window.pos = window.have;
      return false;
    }
    const next = window.afterLineEnd(at, last);
    if (next < 0) return false;
    window.pos = next;
    this.line++;
    this.toSkip--;
    return true;
  }

  private readColumns(last: boolean): boolean {
    const most = MOST_COLUMNS + 1;
    this.start = new Int32Array(most);
    this.end = new Int32Array(most);
    this.scan(last, most, 1, true);
    if (this.long || this.unreadable.get(0)?.reason === "too-long") {
      throw new SieveError(
        "not-delimited",
        `The first line is longer than ${grouped(LONGEST_RECORD)} bytes, so it can't name the columns.`,
        { hint: "Check that the file is delimited text with line ends." },
      );
    }
    if (this.count === 0) return false;
    if (this.seen > MOST_COLUMNS) {
      throw new SieveError(
        "too-many-columns",
        `The first line has ${grouped(this.seen)} cells; at most ${grouped(MOST_COLUMNS)} columns can be read.`,
        { hint: "Check the delimiter, and that the file is the one that was meant." },
      );
    }
    const bad = this.unreadable.get(0);
    if (bad && this.options.header) {
      throw new SieveError(
        "header-unreadable",
        `The line that names the columns can't be read: ${headingFault(bad.reason, this.options.encoding)}.`,
        {
          detail: `It is line ${this.origin.line[0]}.`,
          hint: "Check the file, its encoding and its quote character.",
        },
      );
    }
    if (this.options.header) {
      const heap = this.block().heap;
      const names = Array.from({ length: this.seen }, (_, c) => textOf(heap.bytes, this.start[c]!, this.end[c]!));
      this.record = 0;
      // A heading that is marked as a comment would be names all the same.
      if (names[0]?.startsWith("#") && !names.slice(1).some((n) => n.startsWith("#"))) names[0] = names[0].slice(1);
      this.setColumns(distinctNames(names));
    } else {
      const width = this.seen;
      // Back to that line, which is a record; the empty ones before it are none in a file of any width.
      this.window.pos = this.origin.from[0]!;
      this.line = this.origin.line[0]!;
      this.clear();
      this.setColumns(Array.from({ length: Math.max(1, width) }, (_, c) => String(c + 1)));
    }
    return true;
  }

  private setColumns(columns: readonly string[]): void {
    this.columns = columns;
    this.capacity = Math.max(1, Math.min(BLOCK_RECORDS, Math.floor(BLOCK_CELLS / columns.length)));
    this.start = new Int32Array(this.capacity * columns.length);
    this.end = new Int32Array(this.capacity * columns.length);
    this.clear();
  }

  private clear(): void {
    this.count = 0;
    this.unreadable = new Map();
    this.found.escaped = [];
    this.high = [];
  }

  /** The records scanned so far as a block; the reader's arrays are free again after it is used. */
  private block(): Block {
    const heap = new Heap(this.window.bytes, this.window.have + 1);
    const width = this.columns?.length ?? this.seen;
    const { start, end } = this;
    if (this.high.length > 0) this.decodeHigh(heap, width);
    for (const cell of this.found.escaped) unescapeCell(heap, { start, end }, cell, this.marks.escape);
    const block: Block = {
      file: this.file,
      first: this.record,
      count: this.count,
      width,
      heap,
      start: this.start,
      end: this.end,
      plain: this.plain,
      origin: this.origin,
      unreadable: this.unreadable,
    };
    for (const r of this.unreadable.keys()) {
      this.start.fill(0, r * width, (r + 1) * width);
      this.end.fill(0, r * width, (r + 1) * width);
    }
    this.record += this.count;
    this.clear();
    return block;
  }

  private decodeHigh(heap: Heap, width: number): void {
    const { decoding, origin, start, end } = this;
    for (const r of this.high) {
      if (this.unreadable.has(r)) continue;
      const from = origin.from[r]!;
      const to = origin.to[r]!;
      let ok = true;
      if (decoding.kind === "same") ok = isUtf8(heap.bytes, from, to);
      else if (decoding.kind === "units") ok = !hasReplacement(heap.bytes, from, to);
      else {
        for (let p = from; p < to && ok; p++) ok = decoding.table[heap.bytes[p]!] !== null;
        this.plain[r] = 0;
        if (ok) for (let c = r * width; c < (r + 1) * width; c++) decodeCell(heap, { start, end }, c, decoding.table);
      }
      if (!ok) this.unreadable.set(r, { reason: "encoding", cells: 0 });
    }
  }

  private note(r: number, line: number, from: number, to: number, unreadable?: Unreadable): void {
    const { origin, window } = this;
    origin.line[r] = line;
    origin.from[r] = from;
    origin.to[r] = Math.min(to, from + LONGEST_RECORD);
    origin.start[r] = window.offsetOf(from);
    origin.end[r] = window.offsetOf(to);
    if (unreadable) this.unreadable.set(r, unreadable);
  }

  /**
   * Scans records into the arrays until they are full (true) or the window has no further whole
   * record (false). `free`: any number of cells is right, as for the line that names the columns.
   */
  private scan(last: boolean, width: number, capacity: number, free: boolean): boolean {
    if (this.long && !this.endLong(last)) return false;
    const { window, found } = this;
    const { lf, cr, comment } = this.marks;
    const { have } = window;
    const spans = { start: this.start, end: this.end, width };
    const how = { last, free };
    let { line, count } = this;
    while (count < capacity && window.pos < have) {
      const from = window.pos;
      const first = window.bytes[from];
      if (first === lf || first === cr || comment.length > 0) {
        const behind = this.behindNoRecord(from, last, width === 1 && !free);
        if (behind < 0) break;
        if (behind > from) {
          window.pos = behind;
          line++;
          continue;
        }
      }
      if (!found.record(from, count, spans, how)) break;
      const { to, cells } = found;
      // Neither its quote nor its line ends within the limit.
      if (to - from > LONGEST_RECORD && to >= have && !last) break;
      let next = to;
      if (to < have) {
        next = window.afterLineEnd(to, last);
        if (next < 0) break;
      }
      this.seen = cells;
      this.note(count, line, from, to, this.faultOf(to - from, width, free));
      this.plain[count] = found.plain;
      if (found.high > LAST_ASCII) this.high.push(count);
      count++;
      line += found.lines + (to < have ? 1 : 0);
      window.pos = next;
    }
    // A record left half-scanned may have noted escapes; it is scanned again from its beginning.
    found.forgetEscapes(count * width);
    this.line = line;
    this.count = count;
    if (count >= capacity && window.pos < have) return true;
    if (!last && have - window.pos > LONGEST_RECORD) this.beginLong();
    return false;
  }

  /** Why the record that was found can't be read, of so many bytes. */
  private faultOf(bytes: number, width: number, free: boolean): Unreadable | undefined {
    const { cells, broken, nul } = this.found;
    if (bytes > LONGEST_RECORD) return { reason: "too-long", cells };
    if (broken) return { reason: "quote", cells };
    if (nul) return { reason: "nul", cells };
    if (cells !== width && !free) return { reason: cells < width ? "too-few-cells" : "too-many-cells", cells };
    return undefined;
  }

  /**
   * Where the line behind an empty line or a comment at `p` begins; `p` itself where a record stands there, -1 where that
   * can't be told yet. `single`: the file has one column, of which an empty line is a record.
   */
  private behindNoRecord(p: number, last: boolean, single: boolean): number {
    const { window, marks } = this;
    const { bytes: w, have } = window;
    const { lf, cr, comment } = marks;
    if (!single && (w[p] === lf || w[p] === cr)) return window.afterLineEnd(p, last);
    if (comment.length === 0) return p;
    const short = p + comment.length > have;
    if (short && !last) return -1;
    if (!startsWith(w, p, comment)) return p;
    return window.afterLine(p, last);
  }

  private beginLong(): void {
    const { window } = this;
    this.long = { start: window.offsetOf(window.pos), line: this.line };
    // Only the beginning is kept: the rest of the record is passed over as it comes.
    window.keepBeginning();
  }

  /** Looks for the end of a record past the limit; true when it was found and noted. */
  private endLong(last: boolean): boolean {
    const { long, window } = this;
    if (!long) return true;
    const at = window.nextLineEnd(window.pos);
    if (at >= window.have && !last) {
      window.passOver();
      return false;
    }
    let next = at;
    if (at < window.have) {
      next = window.afterLineEnd(at, last);
      if (next < 0) return false;
      this.line++;
    }
    const { origin, count: r } = this;
    origin.line[r] = long.line;
    origin.from[r] = 0;
    origin.to[r] = window.pos;
    origin.start[r] = long.start;
    origin.end[r] = window.offsetOf(at);
    this.plain[r] = 0;
    this.unreadable.set(r, { reason: "too-long", cells: 0 });
    this.count++;
    window.pos = next;
    this.long = null;
    return true;
  }
}
