import type { Block } from "../../kernel/block.ts";
import { isUtf8, textOf } from "../../kernel/bytes.ts";
import { DocumentReader, opened } from "../json/format.ts";
import type { Reader, OpenContext, SourceFile } from "../part.ts";
import { lines, utf8Chunks } from "../text.ts";

/** A line of a block: what it is called, and its value. */
const LINE = /^\s*([\p{L}_#][^:=\t]{0,60}?)\s*[:=]\s*(.*)$/u;
/** Lines of a record that are kept as it came. */
const MOST_LINES = 2000;

/** Records as blocks of lines, each a name and a value with a colon or an equals sign between; a blank line ends a record, and so does a name that comes again. */
export const reader: Reader = {
  isSo: (text) => (looksLikeBlocks(text) ? "lines of names and values, whose names come again" : null),
  async *open(source, settings, context) {
    const documents = new DocumentReader(context.part, settings);
    yield {
      ...opened(source, "blocks", settings, documents, readBlocks(source, context, documents)),
      evidence: { blocks: "a blank line, or a name that comes again, begins a record" },
    };
  },
};

/** Whether lines of a text are names and values, in blocks that have the same names. */
function looksLikeBlocks(text: string): boolean {
  const body = text.split(/\r?\n/).slice(0, 200);
  const filled = body.filter((l) => l.trim() !== "");
  if (filled.length < 4) return false;
  const names = filled.flatMap((l) => LINE.exec(l)?.[1] ?? []);
  const distinct = new Set(names).size;
  // Times of day have colons too, and tables with colons between cells: there names hardly come again.
  return names.length >= filled.length * 0.8 && distinct > 1 && distinct <= names.length / 2;
}

async function* readBlocks(source: SourceFile, context: OpenContext, documents: DocumentReader): AsyncGenerator<Block> {
  let record: Record<string, string> = {};
  let raw: string[] = [];
  let first = 0;
  let last = "";
  const end = function* (): Generator<Block> {
    if (Object.keys(record).length > 0) documents.add(record, first, 0, 0, raw.join("\n"));
    [record, raw, last] = [{}, [], ""];
    if (documents.full) yield documents.take()!;
  };
  for await (const { bytes, from, to, line } of lines(utf8Chunks(source.chunks(), context.encoding))) {
    for (let i = 0; i < from.length; i++) {
      const text = textOf(bytes, from[i]!, to[i]!);
      if (text.trim() === "") {
        yield* end();
        continue;
      }
      const whole = isUtf8(bytes, from[i]!, to[i]!);
      const [, name, value = ""] = LINE.exec(text) ?? [];
      if (name !== undefined && name in record) yield* end();
      if (raw.length === 0) first = line + i;
      if (raw.length < MOST_LINES) raw.push(text);
      // A line without a name goes on with the value before it.
      if (!whole || (name === undefined && last === "")) record["not read"] = text.trim();
      else if (name === undefined) record[last] += `\n${text.trim()}`;
      else record[(last = name)] = value.trim();
    }
  }
  yield* end();
  const rest = documents.take();
  if (rest) yield rest;
}
