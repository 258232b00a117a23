import { utf8 } from "../../kernel/bytes.ts";
import type { Field } from "../../field/field.ts";

/** Writes records of a contract, one after the other, in memory that does not grow with them. */
export interface RecordWriter {
  /**
   * @param values canonical, by field; "" for what is empty
   * @param about what is said of a cell, by its column, where the format can say it
   */
  add(values: readonly string[], about?: ReadonlyMap<number, string>): void;
  /** What is ready to be written since the last time; may be nothing. */
  take(): Uint8Array;
  /** After the last record; `take` then gives what is left. */
  end(): void;
}

/** A format in which records go out: one file each. */
export interface OutputPart<Id extends string = string> {
  readonly id: Id;
  readonly title: string;
  /** Endings of names, without the point. */
  readonly extensions: readonly string[];
  /** It is delimited text, which can have another mark between cells and another encoding. */
  readonly delimited?: boolean;
  /** It has a root element and one for each record, which can be called otherwise. */
  readonly elements?: boolean;
  /** @param name what the records are called, in formats that say it */
  open(fields: readonly Field[], name: string, text?: TextSettings): RecordWriter;
}

/** What an element can be called: a name of XML 1.0 without a prefix, in letters that every reader takes. */
export const ELEMENT_NAME = /^(?!xml)[a-z_][a-z0-9_.-]{0,62}$/i;

/** How text is written, where otherwise than usual. */
export interface TextSettings {
  /** What the root element and each record's are called. */
  readonly root?: string | undefined;
  readonly record?: string | undefined;
  /** What stands between cells. */
  readonly delimiter?: string | undefined;
  /** Makes what encodes the text of one file; UTF-8 unless said. Given, as tables of encodings are no part of a form. */
  readonly encoder?: (() => (text: string) => Uint8Array) | undefined;
}

/** The first of some settings that a format does not have; null where it has all that are given. */
export function unfitSetting(
  part: OutputPart,
  given: { readonly [S in "delimiter" | "encoding" | "root" | "record"]?: string | undefined },
): string | null {
  if (!part.delimited && given.delimiter !== undefined) return "delimiter";
  if (!part.delimited && given.encoding !== undefined) return "encoding";
  if (!part.elements && given.root !== undefined) return "root element";
  if (!part.elements && given.record !== undefined) return "element of a record";
  return null;
}

/** A writer of a format that is text: `row` gives a record's text. */
export function textWriter(
  head: string,
  row: (values: readonly string[], first: boolean) => string,
  foot: string,
  encode: (text: string) => Uint8Array = utf8,
): RecordWriter {
  let waiting: string[] = [head];
  let first = true;
  return {
    add(values) {
      waiting.push(row(values, first));
      first = false;
    },
    take() {
      const bytes = encode(waiting.join(""));
      waiting = [];
      return bytes;
    },
    end() {
      waiting.push(foot);
    },
  };
}
