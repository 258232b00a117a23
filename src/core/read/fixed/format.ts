import type { Block } from "../../kernel/block.ts";
import { isUtf8, textOf } from "../../kernel/bytes.ts";
import { BlockBuilder } from "../builder.ts";
import { distinctNames } from "../delimited/columns.ts";
import { DELIMITERS, consistency } from "../delimited/guess.ts";
import { findHeader } from "../header.ts";
import type { Reader, OpenContext, SourceFile } from "../part.ts";
import { lines, utf8Chunks } from "../text.ts";

/** Lines of the beginning that decide where columns begin. */
const LOOKED_AT = 200;

/** Text whose columns stand at fixed places of the line, counted in characters. */
export const reader: Reader = {
  isSo: (text, name) =>
    /\.(txt|dat|fwf|prn)$/i.test(name) && looksFixed(text) ? "columns stand at the same places in every line" : null,
  async *open(source, settings, context) {
    const sample = textOf(context.head, 0, context.head.length).split(/\r?\n/).slice(0, LOOKED_AT);
    if (!context.whole) sample.pop();
    const skip = settings.skip ?? 0;
    const body = sample.slice(skip).filter((line) => line.trim() !== "");
    const starts = settings.starts ?? columnStarts(body);
    const { header, why, doubt } = findHeader(
      body.map((l) => cut(l, starts)),
      () => "the first line",
      { header: settings.header, first: true },
    );
    const columns = header ? distinctNames(cut(body[0] ?? "", starts)) : starts.map((_, i) => String(i + 1));
    yield {
      name: source.name,
      options: { as: "fixed", starts, header, skip },
      evidence: {
        starts: settings.starts ? "as set" : `no line of the first ${body.length} has text between these columns`,
        header: why,
      },
      ...(doubt ? { doubts: [doubt] } : {}),
      columns: () => columns,
      blocks: readFixed(source, context, starts, columns.length, header, skip),
      resumable: false,
    };
  },
};

/** Where columns begin: after blanks that every line has. */
export function columnStarts(sample: readonly string[]): number[] {
  const width = Math.max(0, ...sample.map((l) => l.length));
  const used = new Uint8Array(width + 1);
  for (const line of sample) for (let i = 0; i < line.length; i++) if (line[i] !== " ") used[i] = 1;
  const starts: number[] = [];
  for (let i = 0; i < width; i++) if (used[i] === 1 && (i === 0 || used[i - 1] === 0)) starts.push(i);
  return starts.length > 0 ? starts : [0];
}

function cut(line: string, starts: readonly number[]): string[] {
  return starts.map((s, i) => line.slice(s, starts[i + 1]).trimEnd());
}

/** Lines of about one length, with blanks at the same places, and no delimiter that fits. */
function looksFixed(text: string): boolean {
  const all = text.split(/\r?\n/).slice(0, 100);
  all.pop();
  const body = all.filter((l) => l.trim() !== "");
  if (body.length < 3) return false;
  const fits = DELIMITERS.some(
    (d) => consistency(text, { delimiter: d, quote: '"', escape: '"', comment: "" }, undefined, false).score > 1.2,
  );
  const blanks = body.filter((l) => /\S {1,}\S/.test(l)).length;
  // Without a run of blanks anywhere there is nothing that keeps columns in their places.
  const padded = body.some((l) => /\S {2,}\S/.test(l));
  return !fits && blanks === body.length && (padded || !areAsManyWords(body)) && columnStarts(body).length > 1;
}

/** Whether all lines have as many words, and more than two. */
function areAsManyWords(lines: readonly string[]): boolean {
  const words = lines.map((l) => l.split(" ").length);
  return words[0]! > 2 && words.every((n) => n === words[0]);
}

async function* readFixed(
  source: SourceFile,
  context: OpenContext,
  starts: readonly number[],
  width: number,
  header: boolean,
  skip: number,
): AsyncGenerator<Block> {
  const builder = new BlockBuilder(context.part);
  let toSkip = skip;
  let names = header;
  for await (const batch of lines(utf8Chunks(source.chunks(), context.encoding))) {
    for (let i = 0; i < batch.from.length; i++) {
      const bytes = batch.bytes.subarray(batch.from[i]!, batch.to[i]!);
      const line = batch.line + i;
      const start = batch.base + batch.from[i]!;
      if (toSkip > 0) {
        toSkip--;
        continue;
      }
      const text = textOf(bytes, 0, bytes.length);
      if (text.trim() === "") continue;
      if (names) {
        names = false;
        continue;
      }
      if (builder.full) yield builder.take()!;
      const place = { line, start, end: start + bytes.length };
      if (text.includes("\ufffd") || !isUtf8(bytes, 0, bytes.length)) {
        builder.addUnreadable({ reason: "encoding", cells: 0 }, width, place, bytes);
      } else if (text.includes("\0")) {
        builder.addUnreadable({ reason: "nul", cells: 0 }, width, place, bytes);
      } else builder.add(cut(text, starts), width, place, bytes);
    }
  }
  const last = builder.take();
  if (last) yield last;
}
