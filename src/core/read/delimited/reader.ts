import { Heap, concat, isUtf8, textOf } from "../../kernel/bytes.ts";
import { RAW_KEPT, type Block, type Origins, type Unreadable } from "../../kernel/block.ts";
import { SieveError, grouped } from "../../kernel/problem.ts";
import { decodingOf, unitsIn, type Decoding } from "../encoding/decode.ts";
import { decodeCell, hasReplacement, unescapeCell } from "./cells.ts";
import { distinctNames, headingFault } from "./columns.ts";
import { CR, LF, byteOf, isLineEnd, lastLines, lineEndsIn, refuseUnfit, startsWith } from "./marks.ts";
import { LONGEST_RECORD, MOST_COLUMNS, type DelimitedOptions } from "../options.ts";

/** Most records of one block. */
const BLOCK_RECORDS = 8192;
/** Most cells of one block, so that a wide file has blocks of fewer records. */
const BLOCK_CELLS = 1 << 17;
/** Bytes that are kept of the lines at the end that are no records. */
const TRAILER_BYTES = 1 << 14;
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
  private readonly delimiter: Uint8Array;
  private readonly comment: Uint8Array;
  /** Lines at the end that are no records, and what may be those: it waits here for more. */
  private readonly skipEnd: number;
  private tail = new Uint8Array(0);
  /** After the last bytes: the lines at the end that are no records, as ISO 8859-1; at most some kilobytes. */
  get trailer(): string {
    return latin1.decode(this.tail.subarray(0, TRAILER_BYTES));
  }
  private readonly quote: number;
  private readonly escape: number;
  /** What ends a record: a line feed, and a carriage return; or the one mark that the file has instead. */
  private readonly lf: number;
  private readonly cr: number;
  /** 1 for a byte that ends or interrupts a cell without quotes. */
  private readonly stopsPlain = new Uint8Array(256);
  /** 1 for a byte that ends or interrupts a quoted cell. */
  private readonly stopsQuoted = new Uint8Array(256);

  /** Bytes not yet made into blocks are at [pos, have); `window[have]` is always a line feed. */
  private window = new Uint8Array(0);
  private pos = 0;
  private have = 0;
  /** Offset in the file of `window[0]` (not for UTF-16). */
  private base = 0;
  /** UTF-16 only: `window[markAt]` stands at code unit `markUnits` of the file. */
  private markAt = 0;
  private markUnits = 0;

  private line: number;
  private record: number;
  private toSkip: number;
  private begun: boolean;
  /** A record past the limit, whose end has not been seen; its beginning is at window[0..pos). */
  private long: { start: number; line: number } | null = null;

  private start = new Int32Array(0);
  private end = new Int32Array(0);
  private capacity = 0;
  private count = 0;
  private readonly plain = new Int32Array(BLOCK_RECORDS);
  private readonly origin: Origins;
  private unreadable = new Map<number, Unreadable>();
  /** Cells with escapes to take out: cell index, two by two with nothing else. */
  private escaped: number[] = [];
  /** Records with bytes over 127 (only those need decoding). */
  private high: number[] = [];
  /** Cells in the record that `scan` saw last. */
  private seen = 0;

  constructor(
    private readonly options: DelimitedOptions,
    private readonly file = 0,
    resume?: ResumeAt,
  ) {
    this.decoding = decodingOf(options.encoding);
    this.delimiter = new TextEncoder().encode(options.delimiter);
    this.comment = new TextEncoder().encode(options.comment ?? "");
    this.skipEnd = resume ? 0 : (options.skip_end ?? 0);
    this.lf = options.row === undefined ? LF : byteOf(options.row);
    this.cr = options.row === undefined ? CR : -1;
    this.quote = byteOf(options.quote);
    this.escape = byteOf(options.escape);
    refuseUnfit(options);
    for (const b of [this.lf, this.cr, 0, this.delimiter[0]!]) if (b >= 0) this.stopsPlain[b] = 1;
    for (const b of [this.lf, this.cr, 0, this.quote, this.escape]) if (b >= 0) this.stopsQuoted[b] = 1;

    const n = BLOCK_RECORDS;
    this.origin = {
      line: new Int32Array(n),
      start: new Float64Array(n),
      end: new Float64Array(n),
      from: new Int32Array(n),
      to: new Int32Array(n),
    };
    this.base = resume?.byte ?? 0;
    this.markUnits = this.base / 2;
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
      if (!this.skipByteOrderMark(last)) return;
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
        this.window = block.heap.bytes as Uint8Array<ArrayBuffer>;
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
      const cut = lastLines(all, this.skipEnd, { lf: this.lf, cr: this.cr });
      this.tail = all.slice(cut);
      bytes = all.subarray(0, cut);
    }
    const kept = this.long ? this.pos : 0;
    const carry = this.have - this.pos;
    if (this.decoding.kind === "units") {
      if (!this.long) this.offsetOf(this.pos);
      this.markAt -= this.pos - kept;
    }
    this.base += this.pos - kept;
    const need = kept + carry + bytes.length + 1;
    if (need > this.window.length) {
      const grown = new Uint8Array(Math.ceil(need * 1.5));
      grown.set(this.window.subarray(0, kept));
      grown.set(this.window.subarray(this.pos, this.have), kept);
      this.window = grown;
    } else {
      this.window.copyWithin(kept, this.pos, this.have);
    }
    this.window.set(bytes, kept + carry);
    this.pos = kept;
    this.have = kept + carry + bytes.length;
    // Line ends behind the last mark are none of the record's.
    if (last && this.cr < 0) while (this.have > this.pos && isLineEnd(this.window[this.have - 1]!)) this.have--;
    this.window[this.have] = this.lf;
  }

  private skipByteOrderMark(last: boolean): boolean {
    if (this.have - this.pos < 3 && !last) return false;
    const w = this.window;
    if (w[this.pos] === 0xef && w[this.pos + 1] === 0xbb && w[this.pos + 2] === 0xbf) this.pos += 3;
    return true;
  }

  private skipLine(last: boolean): boolean {
    let p = this.pos;
    const w = this.window;
    while (w[p] !== this.lf && w[p] !== this.cr) p++;
    if (p >= this.have) {
      if (last) this.pos = this.have;
      return false;
    }
    const next = this.afterLineEnd(p, last);
    if (next < 0) return false;
    this.pos = next;
    this.line++;
    this.toSkip--;
    return true;
  }

  /** Where the line after the line end at `p` begins, or -1 when that can't be told yet. */
  private afterLineEnd(p: number, last: boolean): number {
    if (this.cr < 0) {
      // Line ends behind a mark are part of it.
      let next = p + 1;
      while (next < this.have && isLineEnd(this.window[next]!)) next++;
      return next >= this.have && !last ? -1 : next;
    }
    if (this.window[p] === LF) return p + 1;
    if (p + 1 >= this.have) return last ? this.have : -1;
    return this.window[p + 1] === LF ? p + 2 : p + 1;
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
      this.pos = this.origin.from[0]!;
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
    this.escaped = [];
    this.high = [];
  }

  /** The records scanned so far as a block; the reader's arrays are free again after it is used. */
  private block(): Block {
    const heap = new Heap(this.window, this.have + 1);
    const width = this.columns?.length ?? this.seen;
    const { start, end } = this;
    if (this.high.length > 0) this.decodeHigh(heap, width);
    for (const cell of this.escaped) unescapeCell(heap, { start, end }, cell, this.escape);
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

  /** Offset in the file of a position in the window. For UTF-16, positions must not go back. */
  private offsetOf(p: number): number {
    if (this.decoding.kind !== "units") return this.base + p;
    this.markUnits += unitsIn(this.window, this.markAt, p);
    this.markAt = p;
    return this.markUnits * 2;
  }

  private note(r: number, line: number, from: number, to: number, unreadable?: Unreadable): void {
    const { origin } = this;
    origin.line[r] = line;
    origin.from[r] = from;
    origin.to[r] = Math.min(to, from + LONGEST_RECORD);
    origin.start[r] = this.offsetOf(from);
    origin.end[r] = this.offsetOf(to);
    if (unreadable) this.unreadable.set(r, unreadable);
  }

  /**
   * Scans records into the arrays until they are full (true) or the window has no further whole
   * record (false). `free`: any number of cells is right, as for the line that names the columns.
   */
  private scan(last: boolean, width: number, capacity: number, free: boolean): boolean {
    const w = this.window;
    const { have, quote, escape, stopsPlain, stopsQuoted, start, end, delimiter, comment, lf, cr } = this;
    const d0 = delimiter[0]!;
    const dn = delimiter.length;
    if (this.long && !this.endLong(last)) return false;
    let p = this.pos;
    let { line, count } = this;

    records: while (count < capacity) {
      if (p >= have) break;
      const from = p;
      if ((w[p] === lf || w[p] === cr) && (width !== 1 || free)) {
        const next = this.afterLineEnd(p, last);
        if (next < 0) break;
        p = next;
        this.pos = p;
        line++;
        continue;
      }
      if (comment.length > 0 && (w[p] === comment[0] || p + comment.length > have)) {
        if (p + comment.length > have && !last) break;
        if (startsWith(w, p, comment)) {
          const at = this.nextLineEnd(p);
          if (at >= have && !last) break;
          const next = at >= have ? have : this.afterLineEnd(at, last);
          if (next < 0) break;
          p = next;
          this.pos = p;
          line++;
          continue;
        }
      }
      const row = count * width;
      let cells = 0;
      let plain = -1;
      let high = 0;
      let nul = false;
      let lines = 0;
      /** First line end inside a quoted cell: where the record ends if its quote was a stray one. */
      let cut = -1;
      let broken = false;

      cells: for (;;) {
        let s = p;
        let e: number;
        if (w[p] === quote && p < have) {
          if (plain < 0) plain = cells;
          let cellCut = -1;
          let escapes = false;
          let q = p + 1;
          for (;;) {
            let b: number;
            while (stopsQuoted[(b = w[q]!)] === 0) {
              high |= b;
              q++;
            }
            if (q >= have) {
              if (!last && have - from <= LONGEST_RECORD) break records;
              broken = true;
              if (cellCut < 0) cellCut = have;
              break;
            }
            if (b === escape && (b !== quote || w[q + 1] === quote || q + 1 >= have)) {
              if (q + 1 >= have) {
                if (!last) break records;
                // The file's last byte: a closing quote, or an escape of nothing.
                if (b === quote) break;
                q++;
                continue;
              }
              escapes = true;
              high |= w[q + 1]!;
              if (w[q + 1] === lf || w[q + 1] === cr) q++;
              else q += 2;
              continue;
            }
            if (b === quote) break;
            if (b === lf || b === cr) {
              if (cellCut < 0) cellCut = q;
              if (b === lf || w[q + 1] !== lf) lines++;
              q++;
              continue;
            }
            nul = true;
            q++;
          }
          if (!broken) {
            const next = q + 1;
            if (next >= have) {
              if (!last) break records;
            } else if (w[next] !== lf && w[next] !== cr && !startsWith(w, next, delimiter)) {
              if (next + dn > have && !last && w[next] === d0) break records;
              broken = true;
              if (cellCut < 0) cellCut = this.nextLineEnd(next);
            }
          }
          if (broken) {
            if (cellCut >= have && !last) {
              if (have - from <= LONGEST_RECORD) break records;
            }
            cut = cellCut;
            break;
          }
          if (cut < 0 && cellCut >= 0) cut = cellCut;
          s = p + 1;
          e = q;
          p = q + 1;
          if (escapes && cells < width) this.escaped.push(row + cells);
        } else {
          for (;;) {
            let b: number;
            while (stopsPlain[(b = w[p]!)] === 0) {
              high |= b;
              p++;
            }
            if (b === 0 && p < have) {
              nul = true;
              p++;
              continue;
            }
            if (b === d0 && dn > 1 && p < have) {
              if (p + dn > have && !last) break records;
              if (!startsWith(w, p, delimiter)) {
                p++;
                continue;
              }
            }
            break;
          }
          if (p >= have) {
            if (!last) break records;
            p = have;
          }
          e = p;
        }
        if (cells < width) {
          start[row + cells] = s;
          end[row + cells] = e;
        }
        cells++;
        if (p < have && w[p] === d0 && (dn === 1 || startsWith(w, p, delimiter))) {
          p += dn;
          continue cells;
        }
        break;
      }

      if (!broken && !free && cells !== width && cut >= 0) broken = this.standsAlone(cut, p, width);
      if (broken) {
        p = cut;
        lines = lineEndsIn(w, from, cut, { lf, cr });
        while (this.escaped.length > 0 && this.escaped.at(-1)! >= row) this.escaped.pop();
      }
      const to = p;
      if (to - from > LONGEST_RECORD && to >= have && !last) {
        // Neither its quote nor its line ends within the limit.
        break;
      }
      if (p < have) {
        const next = this.afterLineEnd(p, last);
        if (next < 0) {
          while (this.escaped.length > 0 && this.escaped.at(-1)! >= row) this.escaped.pop();
          break;
        }
        p = next;
        lines++;
      }
      this.seen = cells;
      let bad: Unreadable | undefined;
      if (to - from > LONGEST_RECORD) bad = { reason: "too-long", cells };
      else if (broken) bad = { reason: "quote", cells };
      else if (nul) bad = { reason: "nul", cells };
      else if (cells !== width && !free) bad = { reason: cells < width ? "too-few-cells" : "too-many-cells", cells };
      this.note(count, line, from, to, bad);
      this.plain[count] = plain < 0 ? cells : plain;
      if (high > 127) this.high.push(count);
      count++;
      line += lines;
      this.pos = p;
    }

    // A record left half-scanned may have noted escapes; it is scanned again from its beginning.
    const rows = count * width;
    while (this.escaped.length > 0 && this.escaped.at(-1)! >= rows) this.escaped.pop();
    this.line = line;
    this.count = count;
    if (count >= capacity && this.pos < have) return true;
    if (!last && have - this.pos > LONGEST_RECORD) this.beginLong();
    return false;
  }

  /** Whether the line after the line end at `cut` has the right number of cells by itself, quotes aside. */
  private standsAlone(cut: number, to: number, width: number): boolean {
    const from = this.afterLineEnd(cut, true);
    const end = Math.min(this.nextLineEnd(from), to);
    let cells = 1;
    for (let p = from; p < end; p++) if (startsWith(this.window, p, this.delimiter)) cells++;
    return cells === width;
  }

  private nextLineEnd(from: number): number {
    const w = this.window;
    let p = from;
    while (w[p] !== this.lf && w[p] !== this.cr) p++;
    return Math.min(p, this.have);
  }

  private beginLong(): void {
    const from = this.pos;
    this.long = { start: this.offsetOf(from), line: this.line };
    // Keep only the beginning: the rest of the record is passed over as it comes.
    const dropTo = this.have;
    this.offsetOf(dropTo);
    this.window.copyWithin(0, from, from + RAW_KEPT);
    this.base += dropTo - RAW_KEPT;
    this.markAt -= dropTo - RAW_KEPT;
    this.pos = RAW_KEPT;
    this.have = RAW_KEPT;
    this.window[this.have] = this.lf;
  }

  /** Looks for the end of a record past the limit; true when it was found and noted. */
  private endLong(last: boolean): boolean {
    const { long } = this;
    if (!long) return true;
    const at = this.nextLineEnd(this.pos);
    if (at >= this.have && !last) {
      this.offsetOf(this.have);
      this.base += this.have - this.pos;
      this.markAt -= this.have - this.pos;
      this.have = this.pos;
      this.window[this.have] = this.lf;
      return false;
    }
    if (at < this.have && this.afterLineEnd(at, last) < 0) return false;
    const { origin } = this;
    origin.line[this.count] = long.line;
    origin.from[this.count] = 0;
    origin.to[this.count] = this.pos;
    origin.start[this.count] = long.start;
    origin.end[this.count] = this.offsetOf(at);
    this.plain[this.count] = 0;
    this.unreadable.set(this.count, { reason: "too-long", cells: 0 });
    this.count++;
    let next = at;
    if (at < this.have) {
      next = this.afterLineEnd(at, last);
      this.line++;
    }
    this.pos = next;
    this.long = null;
    return true;
  }
}
