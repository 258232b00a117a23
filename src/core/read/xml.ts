import { SaxesParser } from "saxes";
import type { Block } from "../block.ts";
import { utf8Length } from "../bytes.ts";
import { SieveError } from "../problem.ts";
import type { Value } from "./documents.ts";
import type { FormatPart, OpenContext, SourceFile } from "./format.ts";
import { DocumentReader, opened } from "./json.ts";
import { utf8Chunks } from "./text.ts";

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
  parser.on("error", () => {});
  parser.on("opentag", (tag) => {
    const parent = seen.get(stack.join(""));
    if (parent) parent.nested = true;
    stack.push(`/${tag.name}`);
    const path = stack.join("");
    const known = seen.get(path) ?? { count: 0, nested: false };
    known.count++;
    if (Object.keys(tag.attributes).length > 0) known.nested = true;
    seen.set(path, known);
  });
  parser.on("closetag", () => void stack.pop());
  const one = async function* (): AsyncGenerator<Uint8Array> {
    yield context.head;
  };
  const decoder = new TextDecoder();
  for await (const chunk of utf8Chunks(one(), context.encoding)) parser.write(decoder.decode(chunk, { stream: true }));
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
  const outside: string[] = [];
  const inside: Element[] = [];
  const done: { value: Value; line: number; from: number; to: number }[] = [];
  /** The decoded text from `textAt` on: what the record at hand may still need. */
  let text = "";
  let textAt = 0;
  let recordAt = 0;
  let recordLine = 0;
  let fault: Error | null = null;
  parser.on("error", (error) => {
    fault ??= error;
  });
  parser.on("opentagstart", (tag) => {
    if (inside.length > 0) return;
    if (`/${[...outside, tag.name].join("/")}` !== path) return;
    recordAt = textAt + text.lastIndexOf("<", parser.position - textAt - 1);
    recordLine = parser.line;
  });
  parser.on("opentag", (tag) => {
    if (inside.length === 0 && `/${[...outside, tag.name].join("/")}` !== path) {
      outside.push(tag.name);
      return;
    }
    let value: Record<string, Value> | null = null;
    for (const name in tag.attributes) (value ??= new Named())[`@${name}`] = tag.attributes[name] as string;
    inside.push({ name: tag.name, text: "", value });
  });
  const addTextTo = (more: string): void => {
    const top = inside.at(-1);
    if (top) top.text += more;
  };
  parser.on("text", addTextTo);
  parser.on("cdata", addTextTo);
  parser.on("closetag", () => {
    const element = inside.pop();
    if (!element) {
      outside.pop();
      return;
    }
    let value: Value = element.text;
    if (element.value || inside.length === 0) {
      element.value ??= new Named();
      if (element.text.trim() !== "") element.value["#text"] = element.text;
      value = element.value;
    }
    const parent = inside.at(-1);
    if (!parent) {
      done.push({ value, line: recordLine, from: recordAt, to: parser.position });
      return;
    }
    parent.value ??= new Named();
    const known = parent.value[element.name];
    if (known === undefined) parent.value[element.name] = value;
    else if (Array.isArray(known)) known.push(value);
    else parent.value[element.name] = [known, value];
  });

  const broken = (error: Error): SieveError =>
    new SieveError("xml-broken", "The XML breaks off or can't be understood.", {
      detail: error.message,
      hint: "Ask the sender for the whole file; nothing of it was loaded.",
    });
  const decoder = new TextDecoder();
  let bytesBefore = 0;
  let countedTo = 0;
  /** Whether each character of the text at hand is one byte. */
  let ascii = true;
  const bytesIn = (from: number, to: number): number =>
    ascii ? to - from : utf8Length(text.slice(from - textAt, to - textAt));
  for await (const chunk of utf8Chunks(source.chunks(), context.encoding)) {
    const more = decoder.decode(chunk, { stream: true });
    ascii &&= more.length === chunk.length;
    text += more;
    parser.write(more);
    for (const { value, line, from, to } of done) {
      bytesBefore += bytesIn(countedTo, from);
      const raw = text.slice(from - textAt, to - textAt);
      const length = bytesIn(from, to);
      documents.add(value, line, bytesBefore, bytesBefore + length, raw);
      if (documents.full) yield documents.take()!;
      bytesBefore += length;
      countedTo = to;
    }
    done.length = 0;
    if (fault) {
      const rest = documents.take();
      if (rest) yield rest;
      throw broken(fault);
    }
    const keep = inside.length > 0 ? recordAt : Math.max(countedTo, text.lastIndexOf("<") + textAt);
    bytesBefore += bytesIn(countedTo, keep);
    countedTo = keep;
    text = text.slice(keep - textAt);
    textAt = keep;
    ascii = utf8Length(text) === text.length;
  }
  const rest2 = documents.take();
  if (rest2) yield rest2;
  parser.close();
  if (fault) throw broken(fault);
}
