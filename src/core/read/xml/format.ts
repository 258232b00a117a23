import { SaxesParser } from "saxes";
import type { Block } from "../../kernel/block.ts";
import { utf8Length } from "../../kernel/bytes.ts";
import { SieveError, listed } from "../../kernel/problem.ts";
import { MOST_DEPTH } from "../documents.ts";
import { CellMaker, DocumentMaker, documentOf, type RecordMaker } from "./makers.ts";
import type { Reader, OpenContext, SourceFile } from "../part.ts";
import { DocumentReader, opened } from "../json/format.ts";
import { begun, utf8Chunks } from "../text.ts";

/** Bytes that are read at a time. */
const PIECE = 1 << 16;

/** Elements within elements. */
const MOST_NESTED = 500;

/**
 * XML whose records are elements at one path, such as /transfers/transfer. A record's attributes
 * become fields as `@name`, its elements as their names, repeated ones an array. Entities that a
 * document type declares are not expanded, and nothing outside the file is ever fetched.
 */
export const reader: Reader = {
  isSo: (text) => (/^<(\?xml|!--|!DOCTYPE|[\p{L}_])/iu.test(begun(text)) ? "it begins with a tag" : null),
  async *open(source, settings, context) {
    const found = settings.records ? [settings.records] : await elementPaths(context);
    const path = found[0] ?? "/*";
    const documents = new DocumentReader(context.part, settings);
    yield {
      ...opened(source, "xml", { ...settings, records: path }, documents, readXml(source, context, path, documents)),
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
  const records = new XmlRecords(path, documents);
  for await (const chunk of utf8Chunks(source.chunks(), context.encoding)) {
    // In pieces, so that no block grows far beyond its size.
    for (let at = 0; at < chunk.length; at += PIECE) {
      records.add(chunk.subarray(at, at + PIECE));
      if (documents.full || records.broken) {
        const block = documents.take();
        if (block) yield block;
      }
      records.sound();
    }
  }
  const rest = documents.take();
  if (rest) yield rest;
  records.end();
}

/** Finds the records in a text that comes in pieces, with the places at which they stand. */
class XmlRecords {
  private readonly parser = new SaxesParser();
  private readonly decoder = new TextDecoder();
  /** The elements that are open outside of records, as a path. */
  private outside = "";
  private inside = false;
  private any = false;
  /** What records are in, whether that was met, and what else is in it. */
  private readonly above: string;
  private aboveMet: boolean;
  private readonly beside = new Set<string>();
  private readonly cells: CellMaker | null;
  private readonly whole = new DocumentMaker();
  private maker: RecordMaker;
  private open = 0;
  /** The decoded text from `textAt` on: what the record at hand may still need. */
  private text = "";
  private textAt = 0;
  private recordAt = 0;
  private recordLine = 0;
  private bytesBefore = 0;
  private countedTo = 0;
  /** Whether each character of the text at hand is one byte. */
  private ascii = true;
  private fault: Error | null = null;

  constructor(
    private readonly path: string,
    private readonly documents: DocumentReader,
  ) {
    this.above = path.slice(0, path.lastIndexOf("/"));
    this.aboveMet = this.above === "";
    this.cells = documents.each ? null : new CellMaker(documents.flattener);
    this.maker = this.cells ?? this.whole;
    const { parser } = this;
    parser.on("error", (error) => {
      this.fault ??= error;
    });
    parser.on("opentagstart", (tag) => {
      if (this.inside || `${this.outside}/${tag.name}` !== path) return;
      this.recordAt = this.textAt + this.text.lastIndexOf("<", parser.position - this.textAt - 1);
      this.recordLine = parser.line;
    });
    parser.on("opentag", (tag) => this.opened(tag.name, tag.attributes as Record<string, string>));
    const addText = (more: string): void => {
      if (this.inside && !this.fault) this.maker.text(more);
    };
    parser.on("text", addText);
    parser.on("cdata", addText);
    parser.on("closetag", () => this.closed());
  }

  private opened(name: string, attributes: Readonly<Record<string, string>>): void {
    if (++this.open > MOST_NESTED)
      this.fault ??= new Error(`in line ${this.parser.line} elements are nested more than ${MOST_NESTED} deep`);
    if (this.fault) return;
    if (!this.inside) {
      const at = `${this.outside}/${name}`;
      if (at !== this.path) {
        if (this.outside === this.above) this.beside.add(at);
        this.outside = at;
        this.aboveMet ||= at === this.above;
        return;
      }
      this.inside = this.any = true;
      this.cells?.begin();
    }
    this.maker.open(name, attributes);
  }

  private closed(): void {
    this.open--;
    if (this.fault) return;
    if (!this.inside) {
      this.outside = this.outside.slice(0, this.outside.lastIndexOf("/"));
      return;
    }
    if (!this.maker.close()) return;
    this.inside = false;
    this.takeRecord(this.parser.position);
  }

  /** Gives the record that ends at `to` to the documents. */
  private takeRecord(to: number): void {
    const { cells, whole, documents } = this;
    const raw = this.text.slice(this.recordAt - this.textAt, to - this.textAt);
    this.bytesBefore += this.bytesIn(this.countedTo, this.recordAt);
    const place = {
      line: this.recordLine,
      start: this.bytesBefore,
      end: this.bytesBefore + this.bytesIn(this.recordAt, to),
    };
    this.bytesBefore = place.end;
    this.countedTo = to;
    if (this.maker === cells && !cells.gaveUp) {
      documents.addCells(cells.cells, place, raw);
      return;
    }
    if (this.maker === cells) cells.takeBack();
    const value = this.maker === whole ? whole.record : documentOf(raw);
    // Where one record has an array in it, the next will have one too.
    this.maker = whole;
    documents.add(value, place.line, place.start, place.end, raw);
  }

  private bytesIn(from: number, to: number): number {
    return this.ascii ? to - from : utf8Length(this.text.slice(from - this.textAt, to - this.textAt));
  }

  get broken(): boolean {
    return this.fault !== null;
  }

  /** Throws `xml-broken` where what was added can't be understood. */
  sound(): void {
    if (!this.fault) return;
    throw new SieveError("xml-broken", "The XML breaks off or can't be understood.", {
      detail: this.fault.message,
      hint: "Ask the sender for the whole file; nothing of it was loaded.",
    });
  }

  add(piece: Uint8Array): void {
    const more = this.decoder.decode(piece, { stream: true });
    this.ascii &&= more.length === piece.length;
    this.text += more;
    try {
      this.parser.write(more);
    } catch (error) {
      // After a fault the parser may stumble over its own state.
      this.fault ??= error as Error;
    }
    if (!this.fault) this.forget();
  }

  /** Lets go of the text that no record at hand needs. */
  private forget(): void {
    const keep = this.inside ? this.recordAt : Math.max(this.countedTo, this.text.lastIndexOf("<") + this.textAt);
    // A record longer than many pieces is not looked at again with each of them.
    if (keep === this.textAt) return;
    this.bytesBefore += this.bytesIn(this.countedTo, keep);
    this.countedTo = keep;
    this.text = this.text.slice(keep - this.textAt);
    this.textAt = keep;
    this.ascii = utf8Length(this.text) === this.text.length;
  }

  /** Throws `xml-broken` where elements are left open, and `no-records` where the path leads to none. */
  end(): void {
    try {
      this.parser.close();
    } catch (error) {
      this.fault ??= error as Error;
    }
    this.sound();
    const { path, beside } = this;
    // A list without elements has no records; where others are in its place, the path is another.
    if (!this.any && path !== "/*" && (!this.aboveMet || beside.size > 0)) {
      throw new SieveError("no-records", `There is no element at ${path}.`, {
        detail: beside.size > 0 ? `In its place there are ${listed([...beside])}.` : "",
        hint: "Set the path of the records.",
      });
    }
  }
}
