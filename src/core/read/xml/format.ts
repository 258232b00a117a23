import { SaxesParser } from "saxes";
import type { Block } from "../../kernel/block.ts";
import { utf8Length } from "../../kernel/bytes.ts";
import { SieveError, listed } from "../../kernel/problem.ts";
import { MOST_DEPTH, type Flattener, type Node, type Value } from "../documents.ts";
import type { FormatPart, OpenContext, SourceFile } from "../part.ts";
import { DocumentReader, opened } from "../json/format.ts";
import { utf8Chunks } from "../text.ts";

/** Bytes that are read at a time. */
const PIECE = 1 << 16;

/** Takes what a record is made of as it is read, its own element first. */
interface RecordMaker {
  open(name: string, attributes: Readonly<Record<string, string>>): void;
  text(more: string): void;
  /** True when that was the record's own element. */
  close(): boolean;
}

/** An element inside a record, while it is being read. */
interface Element {
  readonly name: string;
  text: string;
  /** Its attributes and elements; null while it has none, and is no more than a text. */
  value: Record<string, Value> | null;
}

/**
 * What an element has by name, without anything that objects inherit: an element may be named so.
 * Made by a constructor, such objects are as fast as any; by Object.create(null) they are not.
 */
const Named = function () {} as unknown as new () => Record<string, Value>;
Named.prototype = Object.create(null);

/** Makes a document of a record, with repeated elements as arrays. */
class DocumentMaker implements RecordMaker {
  private readonly inside: Element[] = [];
  /** The record, once it is closed. */
  record: Value = null;

  open(name: string, attributes: Readonly<Record<string, string>>): void {
    let value: Record<string, Value> | null = null;
    for (const key in attributes) (value ??= new Named())[`@${key}`] = attributes[key]!;
    this.inside.push({ name, text: "", value });
  }

  text(more: string): void {
    this.inside.at(-1)!.text += more;
  }

  close(): boolean {
    const element = this.inside.pop()!;
    const parent = this.inside.at(-1);
    let value: Value = element.text;
    if (element.value || !parent) {
      element.value ??= new Named();
      if (element.text.trim() !== "") element.value["#text"] = element.text;
      value = element.value;
    }
    if (!parent) {
      this.record = value;
      return true;
    }
    parent.value ??= new Named();
    const known = parent.value[element.name];
    if (known === undefined) parent.value[element.name] = value;
    else if (Array.isArray(known)) known.push(value);
    else parent.value[element.name] = [known, value];
    return false;
  }
}

/**
 * Makes a record's cells without a document: half of the time. It gives up on a record that has an
 * element twice, as what becomes of an array is for documents.
 */
class CellMaker implements RecordMaker {
  readonly cells: (string | undefined)[] = [];
  private readonly nodes: Node[] = [];
  private readonly texts: string[] = [];
  /** Whether the element has attributes or elements, by depth. */
  private readonly more: boolean[] = [];
  private depth = -1;
  private round = 0;
  /** Places that had no column before the record at hand. */
  private added: Node[] = [];
  /** The record at hand is not for this. */
  gaveUp = false;

  constructor(private readonly flattener: Flattener) {}

  /** Makes ready for the next record. */
  begin(): void {
    this.cells.fill(undefined);
    this.round++;
    this.depth = -1;
    this.added.length = 0;
    this.gaveUp = false;
  }

  /** Takes back the columns that a record brought for which this gave up: as a document it may have others. */
  takeBack(): void {
    this.flattener.dropColumns(this.added);
  }

  private set(node: Node, text: string): void {
    if (node.column === -1) {
      this.flattener.addColumn(node);
      this.added.push(node);
    }
    if (node.met === this.round) this.gaveUp = true;
    node.met = this.round;
    this.cells[node.column] = text;
  }

  open(name: string, attributes: Readonly<Record<string, string>>): void {
    const { nodes, depth } = this;
    let node = this.flattener.root;
    if (depth >= 0) {
      node = this.flattener.below(nodes[depth]!, name);
      this.more[depth] = true;
    }
    if (depth + 1 >= MOST_DEPTH) this.gaveUp = true;
    this.depth++;
    nodes[this.depth] = node;
    this.texts[this.depth] = "";
    this.more[this.depth] = false;
    for (const key in attributes) {
      this.more[this.depth] = true;
      this.set(this.flattener.below(node, `@${key}`), attributes[key]!);
    }
  }

  text(more: string): void {
    const had = this.texts[this.depth]!;
    this.texts[this.depth] = had === "" ? more : had + more;
  }

  close(): boolean {
    const { depth } = this;
    const node = this.nodes[depth]!;
    const text = this.texts[depth]!;
    this.depth--;
    if (depth > 0 && !this.more[depth]) {
      this.set(node, text);
      return false;
    }
    if (text.trim() !== "") this.set(this.flattener.below(node, "#text"), text);
    // An element that has others in it is not twice there either.
    if (depth > 0) {
      if (node.met === this.round) this.gaveUp = true;
      node.met = this.round;
    }
    return depth === 0;
  }
}

/** Elements within elements. */
const MOST_NESTED = 500;

/** A record from its text, as a document. */
function documentOf(text: string): Value {
  const maker = new DocumentMaker();
  const parser = new SaxesParser();
  // What is wrong with the text is said by who read it first.
  parser.on("error", () => {});
  parser.on("opentag", (tag) => maker.open(tag.name, tag.attributes as Record<string, string>));
  parser.on("text", (more) => maker.text(more));
  parser.on("cdata", (more) => maker.text(more));
  parser.on("closetag", () => void maker.close());
  parser.write(text).close();
  return maker.record;
}

/**
 * XML whose records are elements at one path, such as /transfers/transfer. A record's attributes
 * become fields as `@name`, its elements as their names, repeated ones an array. Entities that a
 * document type declares are not expanded, and nothing outside the file is ever fetched.
 */
export const xml: FormatPart = {
  id: "xml",
  async *open(source, settings, context) {
    const found = settings.records ? [settings.records] : await elementPaths(context);
    const path = found[0] ?? "/*";
    const documents = new DocumentReader(context.part, settings);
    yield {
      ...opened(
        source,
        "xml",
        { ...settings, records: path },
        context,
        documents,
        readXml(source, context, path, documents),
      ),
      evidence: {
        records: settings.records ? "as set" : `the elements at ${path} repeat nearest to the root`,
      },
      others: settings.records ? undefined : { records: found.slice(1) },
    };
  },
};

/** Paths of elements in the file's beginning that could be records, the likeliest first. */
async function elementPaths(context: OpenContext): Promise<string[]> {
  const seen = new Map<string, { count: number; nested: boolean }>();
  const stack: string[] = [];
  const parser = new SaxesParser();
  let broken = false;
  /** Elements that are open below those that are looked at. */
  let below = 0;
  parser.on("error", () => {
    broken = true;
  });
  parser.on("opentag", (tag) => {
    // Records are near the root; what is deeper is in one.
    if (broken || stack.length >= MOST_DEPTH) {
      below++;
      return;
    }
    const parent = seen.get(stack.join(""));
    if (parent) parent.nested = true;
    stack.push(`/${tag.name}`);
    const path = stack.join("");
    const known = seen.get(path) ?? { count: 0, nested: false };
    known.count++;
    if (Object.keys(tag.attributes).length > 0) known.nested = true;
    seen.set(path, known);
  });
  parser.on("closetag", () => {
    if (below > 0) below--;
    else stack.pop();
  });
  const one = async function* (): AsyncGenerator<Uint8Array> {
    yield context.head;
  };
  const decoder = new TextDecoder();
  for await (const chunk of utf8Chunks(one(), context.encoding)) {
    try {
      parser.write(decoder.decode(chunk, { stream: true }));
    } catch {
      // What is broken breaks the parser sooner or later; what stood before it was seen.
      break;
    }
  }
  const depth = (path: string): number => path.split("/").length;
  const repeated = [...seen].filter(([path, s]) => s.nested && depth(path) > 2);
  repeated.sort(
    ([a, x], [b, y]) => Number(y.count > 1) - Number(x.count > 1) || depth(a) - depth(b) || y.count - x.count,
  );
  if (repeated.length > 0) return repeated.map(([path]) => path);
  const flat = [...seen].filter(([path, s]) => depth(path) > 2 && s.count > 1).map(([path]) => path);
  return flat.length > 0 ? flat : [...seen.keys()].slice(0, 1);
}

async function* readXml(
  source: SourceFile,
  context: OpenContext,
  path: string,
  documents: DocumentReader,
): AsyncGenerator<Block> {
  const parser = new SaxesParser();
  /** The elements that are open outside of records, as a path. */
  let outside = "";
  let inside = false;
  let any = false;
  /** What records are in, whether that was met, and what else is in it. */
  const above = path.slice(0, path.lastIndexOf("/"));
  let aboveMet = above === "";
  const beside = new Set<string>();
  const cells = documents.each ? null : new CellMaker(documents.flattener);
  const whole = new DocumentMaker();
  let maker: RecordMaker = cells ?? whole;
  /** The decoded text from `textAt` on: what the record at hand may still need. */
  let text = "";
  let textAt = 0;
  let recordAt = 0;
  let recordLine = 0;
  let bytesBefore = 0;
  let countedTo = 0;
  /** Whether each character of the text at hand is one byte. */
  let ascii = true;
  const bytesIn = (from: number, to: number): number =>
    ascii ? to - from : utf8Length(text.slice(from - textAt, to - textAt));
  let fault: Error | null = null;
  parser.on("error", (error) => {
    fault ??= error;
  });
  parser.on("opentagstart", (tag) => {
    if (inside || `${outside}/${tag.name}` !== path) return;
    recordAt = textAt + text.lastIndexOf("<", parser.position - textAt - 1);
    recordLine = parser.line;
  });
  let open = 0;
  parser.on("opentag", (tag) => {
    if (++open > MOST_NESTED)
      fault ??= new Error(`in line ${parser.line} elements are nested more than ${MOST_NESTED} deep`);
    if (fault) return;
    if (!inside) {
      const at = `${outside}/${tag.name}`;
      if (at !== path) {
        if (outside === above) beside.add(at);
        outside = at;
        aboveMet ||= at === above;
        return;
      }
      inside = any = true;
      cells?.begin();
    }
    maker.open(tag.name, tag.attributes as Record<string, string>);
  });
  const addText = (more: string): void => {
    if (inside && !fault) maker.text(more);
  };
  parser.on("text", addText);
  parser.on("cdata", addText);
  parser.on("closetag", () => {
    open--;
    if (fault) return;
    if (!inside) {
      outside = outside.slice(0, outside.lastIndexOf("/"));
      return;
    }
    if (!maker.close()) return;
    inside = false;
    const to = parser.position;
    const raw = text.slice(recordAt - textAt, to - textAt);
    bytesBefore += bytesIn(countedTo, recordAt);
    const place = { line: recordLine, start: bytesBefore, end: bytesBefore + bytesIn(recordAt, to) };
    bytesBefore = place.end;
    countedTo = to;
    if (maker === cells && !cells.gaveUp) {
      documents.addCells(cells.cells, place, raw);
      return;
    }
    if (maker === cells) cells.takeBack();
    const value = maker === whole ? whole.record : documentOf(raw);
    // Where one record has an array in it, the next will have one too.
    maker = whole;
    documents.add(value, place.line, place.start, place.end, raw);
  });

  const broken = (error: Error): SieveError =>
    new SieveError("xml-broken", "The XML breaks off or can't be understood.", {
      detail: error.message,
      hint: "Ask the sender for the whole file; nothing of it was loaded.",
    });
  const decoder = new TextDecoder();
  for await (const chunk of utf8Chunks(source.chunks(), context.encoding)) {
    // In pieces, so that no block grows far beyond its size.
    for (let at = 0; at < chunk.length; at += PIECE) {
      const piece = chunk.subarray(at, at + PIECE);
      const more = decoder.decode(piece, { stream: true });
      ascii &&= more.length === piece.length;
      text += more;
      try {
        parser.write(more);
      } catch (error) {
        // After a fault the parser may stumble over its own state.
        fault ??= error as Error;
      }
      if (documents.full || fault) {
        const block = documents.take();
        if (block) yield block;
      }
      if (fault) throw broken(fault);
      const keep = inside ? recordAt : Math.max(countedTo, text.lastIndexOf("<") + textAt);
      // A record longer than many pieces is not looked at again with each of them.
      if (keep === textAt) continue;
      bytesBefore += bytesIn(countedTo, keep);
      countedTo = keep;
      text = text.slice(keep - textAt);
      textAt = keep;
      ascii = utf8Length(text) === text.length;
    }
  }
  const rest = documents.take();
  if (rest) yield rest;
  try {
    parser.close();
  } catch (error) {
    fault ??= error as Error;
  }
  if (fault) throw broken(fault);
  // A list without elements has no records; where others are in its place, the path is another.
  if (!any && path !== "/*" && (!aboveMet || beside.size > 0)) {
    throw new SieveError("no-records", `There is no element at ${path}.`, {
      detail: beside.size > 0 ? `In its place there are ${listed([...beside])}.` : "",
      hint: "Set the path of the records.",
    });
  }
}
