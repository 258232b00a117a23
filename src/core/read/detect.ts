import { decodeText } from "./encoding/decode.ts";
import { encodingFor } from "./encoding/detect.ts";
import { counted } from "../kernel/problem.ts";
import { rowsBelow } from "./below.ts";
import { asLines, guessMarks, rowMark, setDelimiter, type Guess } from "./delimited/guess.ts";
import { findHeader } from "./header.ts";
import type { Doubt, Evidence } from "./part.ts";
import type { ReadSettings } from "./settings.ts";
import type { DelimitedOptions } from "./options.ts";

/** How many bytes of a file's beginning are looked at. */
export const DETECT_BYTES = 65_536;

export interface Detected {
  readonly options: DelimitedOptions;
  readonly evidence: Evidence & { readonly encoding: string; readonly delimiter: string };
  readonly doubts: readonly Doubt[];
}

/**
 * Decides how to read a delimited file from its first bytes and what was set already.
 * @param head the first DETECT_BYTES of the file, or all of it
 * @param whole true when `head` is the whole file
 * Throws `not-text` for what is not text at all, and `encoding-unknown`.
 */
export function detectDelimited(head: Uint8Array, whole: boolean, settings: ReadSettings = {}): Detected {
  const found = encodingFor(head, whole, settings.encoding);
  const decoded = decodeText(head, found.encoding);
  const row = settings.row ?? rowMark(decoded, settings);
  const guess = guessMarks(row === undefined ? decoded : asLines(decoded, row), row, settings, whole);
  const names = findHeader(guess.table, (row) => `line ${guess.lineOf(row) + 1}`, {
    header: settings.header,
    first: settings.skip !== undefined,
  });
  const { header, doubt } = names;
  const below = rowsBelow(guess.table, names, (row) => `line ${guess.lineOf(row) + 1}`, settings);
  const skip = settings.skip ?? (names.row > 0 ? guess.lineOf(names.row) : guess.skip);
  return {
    options: {
      delimiter: guess.delimiter,
      quote: guess.quote,
      escape: guess.escape,
      ...(row === undefined ? {} : { row }),
      header,
      skip,
      encoding: found.encoding,
      ...(settings.comment ? { comment: settings.comment } : {}),
      ...(below.rows > 0 || settings.below !== undefined ? { below: below.rows } : {}),
      ...(settings.skip_end ? { skip_end: settings.skip_end } : {}),
    },
    doubts: [doubt, below.doubt].filter((d) => d !== null),
    evidence: {
      encoding: found.why,
      ...evidenceOf(guess, settings),
      ...(row === undefined ? {} : { row: settings.row === undefined ? ROW_FITS : AS_SET }),
      header: names.why,
      ...(below.why ? { below: below.why } : {}),
      skip: settings.skip === undefined ? whySkipped(skip) : AS_SET,
    },
  };
}

const AS_SET = "as set";
const ROW_FITS = "what it parts has as many cells each time, and lines end nowhere else";

/** Why a delimiter, a quote and what stands before one in a cell were taken. */
function evidenceOf(guess: Guess, settings: ReadSettings): { delimiter: string; quote: string; escape: string } {
  const quote =
    guess.quote === "'" ? "cells that begin with it end with it, and with it more lines fit" : "the usual one";
  const escape =
    guess.escape === guess.quote
      ? "no cell needs a backslash before a quote"
      : "a backslash stands before quotes in cells";
  return {
    delimiter: setDelimiter(settings) === null ? guess.why : AS_SET,
    quote: settings.quote === undefined ? quote : AS_SET,
    escape: settings.escape === undefined ? escape : AS_SET,
  };
}

const whySkipped = (skip: number): string =>
  skip > 0
    ? `${counted(skip, "line")} that ${skip === 1 ? "is" : "are"} no records stand${skip === 1 ? "s" : ""} before`
    : "the first line is as wide as the rest";
