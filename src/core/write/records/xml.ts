import { SieveError, quoted } from "../../kernel/problem.ts";
import type { Field } from "../../field/field.ts";
import { listValues } from "../../type/list.ts";
import { asContent } from "../entities.ts";
import type { OutputPart } from "./part.ts";
import { textWriter } from "./part.ts";
import { textOfValue } from "./typed.ts";

/** Characters that no XML 1.0 text may have, escaped or not. */
const NEVER = /[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/u;

function escaped(field: Field, text: string): string {
  if (NEVER.test(text)) {
    throw new SieveError("not-writable", `${field.name} ${quoted(text)} has a character that XML can't have.`, {
      hint: "Take it out by a cleansing step (control characters), or write another format.",
    });
  }
  return asContent(text);
}

function elementOf(field: Field, canonical: string): string {
  if (canonical === "") return "";
  const inner =
    field.type === "list"
      ? listValues(canonical)
          .map((v) => `<value>${escaped(field, v)}</value>`)
          .join("")
      : escaped(field, textOfValue(field, canonical));
  return `<${field.name}>${inner}</${field.name}>`;
}

/** An element a record in a root element, both called as one likes; what is empty has no element. */
export const xml: OutputPart<"xml"> = {
  id: "xml",
  title: "XML",
  extensions: ["xml"],
  elements: true,
  open: (fields, name, text = {}) => {
    const root = text.root ?? (/^[a-z][a-z0-9_]*$/.test(name) ? name : "records");
    const record = text.record ?? "record";
    return textWriter(
      `<?xml version="1.0" encoding="UTF-8"?>\n<${root}>\n`,
      (values) => `<${record}>${fields.map((f, i) => elementOf(f, values[i]!)).join("")}</${record}>\n`,
      `</${root}>\n`,
    );
  },
};
