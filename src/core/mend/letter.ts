import { counted } from "../kernel/problem.ts";
import { MARK_COLUMN, PROBLEM_COLUMN } from "../kernel/own-columns.ts";
import { asContent } from "../write/entities.ts";

/** A cause in a letter: what is wrong, how often, and one record that has it. */
export interface Cause {
  readonly title: string;
  readonly count: number;
  readonly example: { readonly file: string; readonly line: number; readonly message: string };
}

/** What goes with a sender's files. */
export interface Letter {
  /** Who it is for; "" where nobody knows. */
  readonly sender: string;
  /** What the feed is called. */
  readonly feed: string;
  /** In ISO 8601. */
  readonly day: string;
  readonly records: number;
  readonly causes: readonly Cause[];
  /** `marked`: whether its records carry marks, for which it needs a heading. */
  readonly files: readonly { readonly name: string; readonly records: number; readonly marked: boolean }[];
}

/** Causes that a letter names one by one. */
const MOST_CAUSES = 12;

/** A letter's sentences, in their order. */
interface Said {
  readonly title: string;
  readonly opening: string;
  readonly request: string;
  readonly heading: string;
  readonly causes: readonly Cause[];
  readonly rest: string | null;
}

function said({ sender, feed, records, causes, files }: Letter): Said {
  const sorted = [...causes].sort((a, b) => b.count - a.count);
  const rest = sorted.slice(MOST_CAUSES).reduce((n, c) => n + c.count, 0);
  const marked = files.filter((f) => f.marked).length;
  const which = marked === files.length ? "Each record" : "Each record of a file with a heading";
  const columns = `${which} ends with two values of ours: “${MARK_COLUMN}”, by which we know it again, and “${PROBLEM_COLUMN}”, which says what is wrong with it. Please put the records right, leave the marks as they are, and send ${files.length === 1 ? "the file" : "the files"} back.`;
  const plain = "They are as you have sent them, without a heading. Please put the records right and send them back.";
  return {
    title: `${feed}: ${counted(records, "record")} to look at${sender === "" ? "" : `, for ${sender}`}`,
    opening: `${records === 1 ? "One record" : counted(records, "record")} of what you have sent could not be loaded yet. ${records === 1 ? "It is" : "They are"} in:`,
    request: marked > 0 ? columns : plain,
    heading: "What is wrong, the most frequent first:",
    causes: sorted.slice(0, MOST_CAUSES),
    rest: rest > 0 ? `and ${counted(rest, "more problem")} of other kinds` : null,
  };
}

const exampleOf = ({ example }: Cause): string => `such as ${example.file}, line ${example.line}: ${example.message}`;

/** The letter in plain words. */
export function letterText(letter: Letter): string {
  const { title, opening, request, heading, causes, rest } = said(letter);
  return [
    title,
    letter.day,
    "",
    opening,
    "",
    ...letter.files.map((f) => `  ${f.name}  (${counted(f.records, "record")})`),
    "",
    request,
    "",
    heading,
    "",
    ...causes.flatMap((c) => [`  ${counted(c.count, "record")}: ${c.title}`, `    ${exampleOf(c)}`]),
    ...(rest === null ? [] : [`  ${rest}`]),
    "",
  ].join("\n");
}

const STYLE =
  "@page { margin: 22mm } body { max-width: 44rem; margin: 2rem auto; padding: 0 1rem; font: 11pt/1.45 sans-serif; color: #1d1d1b } " +
  "h1 { font-size: 1.3em; margin: 0 } table { border-collapse: collapse; width: 100% } tr { break-inside: avoid } " +
  "td { border-top: 1px solid #bbb; padding: .35em .6em .35em 0; vertical-align: top } td.n { text-align: right; white-space: nowrap } small { color: #555 } " +
  "@media print { body { margin: 0; padding: 0; max-width: none } }";

/** The letter as a page that can be printed: HTML that asks for nothing else. */
export function letterPage(letter: Letter): string {
  const { title, opening, request, heading, causes, rest } = said(letter);
  const row = (count: string, what: string): string => `<tr><td class="n">${count}</td><td>${what}</td></tr>\n`;
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>${asContent(title)}</title>
<style>${STYLE}</style>
</head>
<body>
<h1>${asContent(title)}</h1>
<p>${letter.day}</p>
<p>${asContent(opening)}</p>
<ul>
${letter.files.map((f) => `<li>${asContent(f.name)} (${counted(f.records, "record")})</li>\n`).join("")}</ul>
<p>${asContent(request)}</p>
<p>${asContent(heading)}</p>
<table>
${causes.map((c) => row(counted(c.count, "record"), `${asContent(c.title)}<br><small>${asContent(exampleOf(c))}</small>`)).join("")}${rest === null ? "" : row("", asContent(rest))}</table>
</body>
</html>
`;
}
