import type { Encoding } from "@/core/read/encoding/names.ts";
import type { Contents } from "@/core/write/files/contents.ts";
import { usualName } from "@/core/write/files/name.ts";
import type { Partition } from "@/core/write/files/partition.ts";

/** A query, and the connection by whose role it is asked. */
export interface AskedQuery {
  readonly connection: string;
  readonly sql: string;
}

/** What a person has chosen of records on their way out. */
export interface OutChoice {
  readonly format: string;
  readonly gzip: boolean;
  readonly partitions: readonly Partition[];
  readonly records?: number | undefined;
  /** Rows of the target unless said. */
  readonly what?: Contents | undefined;
  readonly load?: number | undefined;
  /** Instead of rows and records of the feed: what a query gives. */
  readonly query?: AskedQuery | undefined;
  readonly name?: string | undefined;
  /** Of delimited text. */
  readonly delimiter?: string | undefined;
  readonly encoding?: Encoding | undefined;
  /** Of XML: what its elements are called. */
  readonly root?: string | undefined;
  readonly record?: string | undefined;
}

const partitionText = (partitions: readonly Partition[]): string =>
  partitions.map(({ field, by }) => (by ? `${field}:${by}` : field)).join(",");

/** The same as a request asks for it; what is as usual is left out. */
export function outQuery(choice: OutChoice): {
  format: string;
  gzip?: "true";
  partition?: string;
  records?: number;
  what?: Contents;
  load?: number;
  connection?: string;
  sql?: string;
  name?: string;
  delimiter?: string;
  encoding?: Encoding;
  root?: string;
  record?: string;
} {
  const { format, gzip, partitions, records, what, load, query, name, delimiter, encoding, root, record } = choice;
  return {
    ...query,
    format,
    ...(gzip && { gzip: "true" as const }),
    ...(partitions.length > 0 && { partition: partitionText(partitions) }),
    ...(records !== undefined && { records }),
    ...(what !== undefined && what !== "rows" && { what }),
    ...(load !== undefined && { load }),
    ...(name !== undefined && { name }),
    ...(delimiter !== undefined && { delimiter }),
    ...(encoding !== undefined && { encoding }),
    ...(root !== undefined && { root }),
    ...(record !== undefined && { record }),
  };
}

/** Where the files are given. */
export function outHref(feed: string, choice: OutChoice): string {
  const given = Object.entries(outQuery(choice)).map(([name, value]): [string, string] => [name, String(value)]);
  const of = choice.query ? "/api/out" : `/api/feeds/${encodeURIComponent(feed)}/out`;
  return `${of}?${new URLSearchParams(given).toString()}`;
}

const isSeveral = ({ partitions, records }: OutChoice): boolean => partitions.length > 0 || records !== undefined;

const endingOf = ({ gzip }: OutChoice, ending: string): string => `${ending}${gzip ? ".gz" : ""}`;

/** What files are called unless said. */
export const outPattern = ({ load, what, query }: OutChoice): string => (query ? "query-{day}" : usualName(load, what));

/** What a file's path will look like. */
export function outPath(choice: OutChoice, ending: string): string {
  const { partitions } = choice;
  const pattern = choice.name ?? outPattern(choice);
  const name = isSeveral(choice) && !pattern.includes("{n}") ? `${pattern}-{n}` : pattern;
  const example = { year: "2026", month: "2026-05", day: "2026-05-31" };
  const folders = partitions.map(({ field, by }) => `${field}=${by ? example[by] : "…"}/`).join("");
  return `${folders}${name}.${endingOf(choice, ending)}`;
}

/** A word of a shell, within quotes where it has anything in it that a shell takes for its own. */
const shellWord = (word: string): string => (/^[\w.,:/=-]+$/.test(word) ? word : `'${word.replaceAll("'", "'\\''")}'`);

/** By what goes out: the flag of the command line that says of which load. */
const LOAD_FLAGS: Record<Contents, string> = {
  rows: "--load",
  held: "--load",
  accepted: "--accepted",
  changed: "--changed",
  records: "--read",
};

/** The command that writes the same files. */
export function shellWords(feed: string, choice: OutChoice, ending: string): string {
  const { format, gzip, partitions, records, what = "rows", load, query, name } = choice;
  const { delimiter, encoding, root, record } = choice;
  const several = isSeveral(choice);
  const file = query ? "query" : feed;
  const words = ["sieve", "out", query?.sql ?? feed, several ? `${file}-out/` : `${file}.${endingOf(choice, ending)}`];
  if (query) words.push("--connection", query.connection);
  if (several || format === "csv-for-spreadsheets") words.push("--format", format);
  if (several && gzip) words.push("--gzip");
  if (partitions.length > 0) words.push("--partition", partitionText(partitions));
  if (records !== undefined) words.push("--records", String(records));
  if (what === "held") words.push("--held");
  if (load !== undefined) words.push(LOAD_FLAGS[what], String(load));
  if (name !== undefined && several) words.push("--name", name);
  if (delimiter !== undefined) words.push("--delimiter", delimiter === "\t" ? "\\t" : delimiter);
  if (encoding !== undefined) words.push("--encoding", encoding);
  if (root !== undefined) words.push("--root", root);
  if (record !== undefined) words.push("--record", record);
  return words.map(shellWord).join(" ");
}
