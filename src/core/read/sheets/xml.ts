import { SaxesParser } from "saxes";
import type { SourceFile } from "../part.ts";
import { zipEntry } from "../unpack.ts";

/** What is done with the pieces of a document as they come; names are without their prefix. */
export interface Handlers {
  open?(name: string, attribute: (name: string) => string | undefined): void;
  text?(text: string): void;
  close?(name: string): void;
}

/** Parses all of an entry. Throws what `broken` makes of a fault. */
export async function parseWhole(
  source: SourceFile,
  entry: string,
  handlers: Handlers,
  broken: (detail: string) => Error,
): Promise<void> {
  for await (const _ of parseEntry(source, entry, handlers, broken));
}

/** Parses an entry of the workbook; yields after each piece, so that what was found can be used. */
export async function* parseEntry(
  source: SourceFile,
  entry: string,
  handlers: Handlers,
  broken: (detail: string) => Error,
): AsyncGenerator<void> {
  const parser = new SaxesParser({ position: false });
  let fault: Error | null = null;
  parser.on("error", (error) => {
    fault ??= error;
  });
  const local = (name: string): string => name.slice(name.indexOf(":") + 1);
  parser.on("opentag", (tag) => {
    const attributes = tag.attributes as Record<string, string>;
    handlers.open?.(local(tag.name), (name) => attributes[name]);
  });
  if (handlers.text) {
    parser.on("text", (t) => handlers.text!(t));
    parser.on("cdata", (t) => handlers.text!(t));
  }
  if (handlers.close) parser.on("closetag", (tag) => handlers.close!(local(tag.name)));
  const decoder = new TextDecoder();
  for await (const chunk of zipEntry(source, entry).chunks()) {
    parser.write(decoder.decode(chunk, { stream: true }));
    yield;
    if (fault) throw broken(`${entry}: ${(fault as Error).message}`);
  }
  parser.close();
  if (fault) throw broken(`${entry}: ${(fault as Error).message}`);
}
