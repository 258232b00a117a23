const ENTITIES: Readonly<Record<string, string>> = { "&": "&amp;", "<": "&lt;", ">": "&gt;", "\r": "&#13;" };

/** Text as the content of an element of XML or HTML. */
export function asContent(text: string): string {
  return text.replace(/[&<>\r]/g, (c) => ENTITIES[c]!);
}
