import { SaxesParser } from "saxes";
import { MOST_DEPTH, type Flattener, type Node, type Value } from "../documents.ts";

/** Takes what a record is made of as it is read, its own element first. */
export interface RecordMaker {
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
export class DocumentMaker implements RecordMaker {
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
export class CellMaker implements RecordMaker {
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

/** A record from its text, as a document. */
export function documentOf(text: string): Value {
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
