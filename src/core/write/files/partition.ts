import { SieveError, listed } from "../../kernel/problem.ts";
import type { Field } from "../../field/field.ts";

/** How a day or a moment is put in folders. */
export const PERIODS = ["year", "month", "day"] as const;
export type Period = (typeof PERIODS)[number];

/** A field by whose value records go into folders of their own. */
export interface Partition {
  readonly field: string;
  /** Of a field that is a day or a moment; the day itself unless said. */
  readonly by?: Period;
}

/** Characters of an ISO 8601 day that a period has. */
export const PERIOD_LENGTHS: Record<Period, number> = { year: 4, month: 7, day: 10 };
/** Bytes that a folder's name may have: the least of the usual file systems. */
const MOST_BYTES = 255;

/**
 * Partitions as a person writes them: `partner,collected_on:month`.
 * Throws `out-unfit` where a field is unknown, said twice, or no day where a period is wanted.
 */
export function readPartitions(text: string, fields: readonly Field[]): Partition[] {
  const partitions = text
    .split(",")
    .map((one) => one.trim())
    .filter((one) => one !== "")
    .map((one): Partition => {
      const { field, by } = partOf(one);
      const known = fields.find((f) => f.name === field);
      const unfit = (message: string, hint: string): SieveError => new SieveError("out-unfit", message, { hint });
      if (!known)
        throw unfit(`There is no field ${field} to partition by.`, `One of ${listed(fields.map((f) => f.name))}.`);
      if (by === "") return { field };
      if (known.type !== "date" && known.type !== "timestamp") {
        throw unfit(`${field} is no day, so it has no ${by}.`, `Partition by ${field} as it is.`);
      }
      if (!PERIODS.some((p) => p === by)) throw unfit(`Days have no ${by}.`, `One of ${listed([...PERIODS])}.`);
      return { field, by: by as Period };
    });
  const names = partitions.map((p) => p.field);
  const twice = names.find((name, i) => names.indexOf(name) < i);
  if (twice !== undefined)
    throw new SieveError("out-unfit", `${twice} is said twice.`, { hint: "Say each field once." });
  return partitions;
}

/** The field and the period of one part of partitions as they are written, whether or not there is such a field. */
function partOf(text: string): { field: string; by: string } {
  const [, field = text, by = ""] = /^(.*?)(?::(\w+))?$/.exec(text.trim()) ?? [];
  return { field, by };
}

/** The names of fields in partitions as they are written. */
export function namesInPartitions(text: string): string[] {
  return text.split(",").map((one) => partOf(one).field);
}

/** Partitions as they are written, with a field under another name; with null without it, which may leave none: "". */
export function renameInPartitions(text: string, from: string, to: string | null): string {
  return text
    .split(",")
    .flatMap((one) => {
      const { field, by } = partOf(one);
      if (field !== from) return [one.trim()];
      return to === null ? [] : [by === "" ? to : `${to}:${by}`];
    })
    .join(",");
}

/** Partitions as a person writes them. */
export function writePartitions(partitions: readonly Partition[]): string {
  return partitions.map(({ field, by }) => (by === undefined ? field : `${field}:${by}`)).join(",");
}

/** A name as part of a path: what would lead elsewhere, or can't be in a name everywhere, stands as its bytes in hexadecimal. */
function pathPart(text: string): string {
  return text.replace(/[\u0000-\u001f\u007f"#%'*/:<=>?\\{|}[\]^]|^[. ]|[. ]$/gu, (c) =>
    [...new TextEncoder().encode(c)].map((b) => `%${b.toString(16).toUpperCase().padStart(2, "0")}`).join(""),
  );
}

/**
 * The folder that a record goes into, as `partner=Ashmere/collected_on=2026-05`; "" without partitions. A record
 * that has no value goes into `partner=`. Throws `out-unfit` where a value is too long for a name.
 */
export function folderOf(
  partitions: readonly Partition[],
  fields: readonly Field[],
): (values: readonly string[]) => string {
  const at = partitions.map((p) => ({ ...p, index: fields.findIndex((f) => f.name === p.field) }));
  return (values) =>
    at
      .map(({ field, by, index }) => {
        const value = values[index]!;
        const name = `${pathPart(field)}=${pathPart(by ? value.slice(0, PERIOD_LENGTHS[by]) : value)}`;
        if (new TextEncoder().encode(name).length > MOST_BYTES) {
          throw new SieveError("out-unfit", `A value of ${field} is too long for the name of a folder.`, {
            detail: `${value.slice(0, 100)}…`,
            hint: "Partition by a field of short values.",
          });
        }
        return name;
      })
      .join("/");
}
