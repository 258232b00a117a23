import { LONGEST_RECORD, type DelimitedOptions } from "../options.ts";
import { CR, LF, byteOf, lineEndsIn, startsWith, type Ends } from "./marks.ts";
import type { Window } from "./window.ts";

/** What a quoted cell came to, instead of the place of its closing quote. */
const MORE_NEEDED = -1;
const NOT_CLOSED = -2;
/** A cell past the columns, which is counted and not kept. */
const NO_CELL = -1;

/** By what cells and records are told apart. */
export interface Marks extends Ends {
  readonly delimiter: Uint8Array;
  readonly comment: Uint8Array;
  /** -1 for none. */
  readonly quote: number;
  readonly escape: number;
}

export function marksOf(options: DelimitedOptions): Marks {
  return {
    lf: options.row === undefined ? LF : byteOf(options.row),
    cr: options.row === undefined ? CR : -1,
    delimiter: new TextEncoder().encode(options.delimiter),
    comment: new TextEncoder().encode(options.comment ?? ""),
    quote: byteOf(options.quote),
    escape: byteOf(options.escape),
  };
}

/** Where cells begin and end: of each record as many as there are columns. */
export interface Spans {
  readonly start: Int32Array;
  readonly end: Int32Array;
  readonly width: number;
}

/** One record after the other, found in a window; what was found of the last one stands in its fields. */
export class RecordScan {
  /** Behind the record's last byte. */
  to = 0;
  cells = 0;
  /** The first cell with quotes; the number of cells where none has any. */
  plain = 0;
  /** All bytes of cells that were passed, or-ed: over 127 where one is. */
  high = 0;
  nul = false;
  /** Line ends within the record. */
  lines = 0;
  /** A quote opens a cell and closes none. */
  broken = false;
  /** Cells of all records so far with escapes to take out. */
  escaped: number[] = [];

  /** First line end inside a quoted cell: where the record ends if its quote was a stray one; -1 for none. */
  private cut = -1;
  /** 1 for a byte that ends or interrupts a cell without quotes. */
  private readonly stopsPlain = new Uint8Array(256);
  /** 1 for a byte that ends or interrupts a quoted cell. */
  private readonly stopsQuoted = new Uint8Array(256);

  constructor(
    private readonly marks: Marks,
    private readonly window: Window,
  ) {
    const { lf, cr, delimiter, quote, escape } = marks;
    for (const b of [lf, cr, 0, delimiter[0]!]) if (b >= 0) this.stopsPlain[b] = 1;
    for (const b of [lf, cr, 0, quote, escape]) if (b >= 0) this.stopsQuoted[b] = 1;
  }

  /**
   * Finds the cells of the record at `from`, the `count`th of its block, and where it ends. False where more bytes are needed. `free`: any number
   * of cells is right.
   */
  record(from: number, count: number, spans: Spans, { last, free }: { last: boolean; free: boolean }): boolean {
    const { start, end, width } = spans;
    const { quote, delimiter, lf, cr } = this.marks;
    const { stopsPlain, stopsQuoted } = this;
    const { bytes: w, have } = this.window;
    const d0 = delimiter[0]!;
    const dn = delimiter.length;
    const row = count * width;
    let p = from;
    let cells = 0;
    let plain = -1;
    let high = 0;
    this.high = 0;
    this.nul = false;
    this.lines = 0;
    this.broken = false;
    this.cut = -1;
    for (;;) {
      let s = p;
      let e: number;
      if (w[p] === quote && p < have) {
        if (plain < 0) plain = cells;
        // Most cells have nothing within their quotes that says anything; a call for each would cost a third more.
        e = p + 1;
        while (stopsQuoted[w[e]!] === 0) high |= w[e++]!;
        const next = w[e + 1];
        if (w[e] !== quote || e + 1 >= have || dn > 1 || (next !== d0 && next !== lf && next !== cr)) {
          e = this.quoted(p, from, last, cells < width ? row + cells : NO_CELL);
          if (e === MORE_NEEDED) return false;
          if (e === NOT_CLOSED) break;
        }
        s = p + 1;
        p = e + 1;
      } else {
        for (;;) {
          let b: number;
          while (stopsPlain[(b = w[p]!)] === 0) {
            high |= b;
            p++;
          }
          if (b === 0 && p < have) {
            this.nul = true;
            p++;
            continue;
          }
          if (b === d0 && dn > 1 && p < have) {
            if (p + dn > have && !last) return false;
            if (!startsWith(w, p, delimiter)) {
              p++;
              continue;
            }
          }
          break;
        }
        if (p >= have) {
          if (!last) return false;
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
        continue;
      }
      break;
    }
    this.high |= high;
    this.cells = cells;
    this.plain = plain < 0 ? cells : plain;
    if (!this.broken && !free && cells !== width && this.cut >= 0) this.broken = this.standsAlone(this.cut, p, width);
    if (this.broken) {
      p = this.cut;
      this.lines = lineEndsIn(w, from, p, this.marks);
      this.forgetEscapes(row);
    }
    this.to = p;
    return true;
  }

  /** Forgets escapes from a cell on: those of a record that can't be read, or of one that is scanned again. */
  forgetEscapes(cell: number): void {
    const { escaped } = this;
    while (escaped.length > 0 && escaped.at(-1)! >= cell) escaped.pop();
  }

  /** Where the quote stands that closes the cell opened at `p`, of the record at `from`; or what became of it. */
  private quoted(p: number, from: number, last: boolean, cell: number): number {
    const { quote, escape, delimiter, lf, cr } = this.marks;
    const { stopsQuoted } = this;
    const { bytes: w, have } = this.window;
    let cut = -1;
    let escapes = false;
    let closed = true;
    let high = 0;
    let q = p + 1;
    for (;;) {
      let b: number;
      while (stopsQuoted[(b = w[q]!)] === 0) {
        high |= b;
        q++;
      }
      if (q >= have) {
        if (!last && have - from <= LONGEST_RECORD) return MORE_NEEDED;
        closed = false;
        if (cut < 0) cut = have;
        break;
      }
      if (b === escape && (b !== quote || w[q + 1] === quote || q + 1 >= have)) {
        if (q + 1 >= have) {
          if (!last) return MORE_NEEDED;
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
        if (cut < 0) cut = q;
        if (b === lf || w[q + 1] !== lf) this.lines++;
        q++;
        continue;
      }
      this.nul = true;
      q++;
    }
    this.high |= high;
    if (closed) {
      const next = q + 1;
      if (next >= have) {
        if (!last) return MORE_NEEDED;
      } else if (w[next] !== lf && w[next] !== cr && !startsWith(w, next, delimiter)) {
        if (next + delimiter.length > have && !last && w[next] === delimiter[0]) return MORE_NEEDED;
        closed = false;
        if (cut < 0) cut = this.window.nextLineEnd(next);
      }
    }
    if (!closed) {
      if (cut >= have && !last && have - from <= LONGEST_RECORD) return MORE_NEEDED;
      this.broken = true;
      this.cut = cut;
      return NOT_CLOSED;
    }
    if (this.cut < 0) this.cut = cut;
    if (escapes && cell !== NO_CELL) this.escaped.push(cell);
    return q;
  }

  /** Whether the line after the line end at `cut` has the right number of cells by itself, quotes aside. */
  private standsAlone(cut: number, to: number, width: number): boolean {
    const { window, marks } = this;
    const from = window.afterLineEnd(cut, true);
    const end = Math.min(window.nextLineEnd(from), to);
    let cells = 1;
    for (let p = from; p < end; p++) if (startsWith(window.bytes, p, marks.delimiter)) cells++;
    return cells === width;
  }
}
