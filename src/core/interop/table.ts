import type { Field } from "../field/field.ts";
import { typePart } from "../type/index.ts";
import { charactersOf } from "../type/part.ts";
import { timeField } from "./names.ts";
import type { Taken } from "./part.ts";

/** A column of a database table, as the database's catalogue has it. */
export interface TableColumn {
  readonly name: string;
  /** As the database writes it: `character varying(20)`, `numeric(9,3)`. */
  readonly type: string;
  readonly notNull: boolean;
  /** The database fills it by itself where nothing is given. */
  readonly filled: boolean;
  /** Nobody else may fill it. */
  readonly computed: boolean;
  /** The values of an enumerated type. */
  readonly labels: readonly string[] | null;
}

/** A rule of a table: its kind as the catalogue names it, its columns and its text. */
export interface TableRule {
  readonly name: string;
  readonly kind: "primary" | "unique" | "check" | "foreign";
  readonly columns: readonly string[];
  /** As the database writes it: `CHECK ((quantity_g > (0)::numeric))`. */
  readonly definition: string;
  /** For a foreign key to few values, what they are. */
  readonly values?: readonly string[] | undefined;
}

/** What says of a text field that it has only UUIDs. */
const UUID_PATTERN = "^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$";
const FIELD_NAME = /^[a-z][a-z0-9_]{0,62}$/;
const OWN_COLUMNS = ["_load", "_record", "_writing", "_extra"];
const WHOLE_LIMITS: Record<string, [string, string]> = {
  smallint: ["-32768", "32767"],
  integer: ["-2147483648", "2147483647"],
};

/** What lists arrays are. */
const ELEMENTS: Readonly<Record<string, NonNullable<Field["of"]>>> = {
  "text[]": "text",
  "character varying[]": "text",
  "bigint[]": "integer",
  "numeric[]": "decimal",
  "date[]": "date",
};

/**
 * The contract that a table's own columns and rules amount to. What can't be said in a contract is
 * listed: such rules stay with the database, and each load is held against them before it writes.
 */
export function contractOfTable(columns: readonly TableColumn[], rules: readonly TableRule[]): Taken {
  const lost: string[] = [];
  const fields: Field[] = [];
  for (const column of columns) {
    if (OWN_COLUMNS.includes(column.name)) continue;
    if (!FIELD_NAME.test(column.name)) {
      lost.push(`${column.name}: a field's name has lower-case letters, digits and underscores`);
      continue;
    }
    if (column.computed) {
      lost.push(`${column.name}: the database computes it`);
      continue;
    }
    const field = fieldOf(column);
    if (!field) {
      lost.push(`${column.name}: values of the type ${column.type} can't be checked`);
      continue;
    }
    if (column.notNull && !column.filled) field.required = true;
    fields.push(field);
  }
  const named = new Map(fields.map((f) => [f.name, f]));
  const key: string[] = [];
  for (const rule of rules) {
    const own = rule.columns.map((c) => named.get(c));
    const field = own.length === 1 ? own[0] : undefined;
    switch (rule.kind) {
      case "primary":
        key.push(...rule.columns);
        for (const f of own) if (f) f.required = true;
        break;
      case "unique":
        if (field) field.unique = true;
        else lost.push(`${rule.name}: ${rule.columns.join(", ")} together are given once`);
        break;
      case "foreign":
        if (field && rule.values && takesValues(field, rule.values)) break;
        lost.push(`${rule.name}: ${rule.definition}`);
        break;
      case "check":
        if (!rule.definition.split(" AND ").every((part) => takeCheck(part, named))) {
          lost.push(`${rule.name}: ${rule.definition}`);
        }
    }
  }
  return { fields, key, lost };
}

/** Makes a code of a field whose values are known; false when its type can't be one. */
function takesValues(field: Field, values: readonly string[]): boolean {
  if (field.type !== "text" || values.length === 0) return false;
  const { name, required, unique } = field;
  for (const property of Object.keys(field)) delete (field as unknown as Record<string, unknown>)[property];
  Object.assign(field, { name, type: "code", values: [...values] });
  if (required) field.required = true;
  if (unique) field.unique = true;
  return true;
}

function fieldOf({ name, type, labels }: TableColumn): Field | null {
  if (labels) return { name, type: "code", values: [...labels] };
  const characters = charactersOf(type);
  if (!Number.isNaN(characters)) return { name, type: "text", length: characters === Infinity ? 10_000 : characters };
  if (type === "uuid") return { name, type: "uuid" };
  if (type === "json" || type === "jsonb") return { name, type: "json" };
  if (/^time(\([0-6]\))? without time zone$/.test(type)) return { name, ...timeField() };
  const elements = ELEMENTS[type.replace(/\(.*\)/, "")];
  if (elements) return { name, type: "list", of: elements, by: ";" };
  if (type === "bigint") return { name, type: "integer" };
  const limits = WHOLE_LIMITS[type];
  if (limits) return { name, type: "integer", least: Number(limits[0]), most: Number(limits[1]) };
  const numeric = /^numeric\((\d+),(\d+)\)$/.exec(type);
  if (numeric) return { name, type: "decimal", precision: Number(numeric[1]), scale: Number(numeric[2]) };
  if (type === "numeric") return { name, type: "decimal", precision: 38, scale: 12 };
  if (type === "double precision" || type === "real") return { name, type: "decimal", precision: 15, scale: 6 };
  if (type === "boolean") {
    return { name, type: "boolean", words: { yes: ["true", "yes", "1", "t"], no: ["false", "no", "0", "f"] } };
  }
  if (type === "date") return { name, type: "date", formats: ["yyyy-MM-dd"] };
  if (type.startsWith("timestamp")) return { name, type: "timestamp", formats: ["yyyy-MM-dd HH:mm:ss"] };
  return null;
}

/** The column with which an expression begins, however the database has cast it, and what stands after. */
const COLUMN = /^\(*"?([a-z][a-z0-9_]*)"?\)*(?:::[a-z ]+)?\)*\s*/;

/** Takes one condition of a check rule into the field that it is about; false when it can't be said. */
function takeCheck(text: string, named: ReadonlyMap<string, Field>): boolean {
  const condition = text.replace(/^CHECK \(/, "").trim();
  const length = /^\(*(?:char_length|length)\(\(?"?([a-z][a-z0-9_]*)"?\)?(?:::text)?\)\s*([<>]=)\s*(\d+)\)*$/.exec(
    condition,
  );
  if (length) {
    const field = named.get(length[1]!);
    if (field?.type !== "text") return false;
    const characters = Number(length[3]);
    if (length[2] === "<=") field.length = Math.min(field.length ?? Infinity, characters);
    else if (characters > 0) field.shortest = Math.max(field.shortest ?? 0, characters);
    return true;
  }
  const column = COLUMN.exec(condition);
  const field = column && named.get(column[1]!);
  if (!field) return false;
  const rest = condition.slice(column[0].length);
  const limit = /^(>=|<=|>|<)\s*\(*'?(-?[\d.]+|\d{4}-\d{2}-\d{2})'?(?:\)*::[a-z ]+)*\)*$/.exec(rest);
  if (limit) return takeLimit(field, limit[1]!, limit[2]!);
  const any = /^= ANY \(+ARRAY\[(.*?)\]/.exec(rest);
  if (any) return takesValues(field, quotedValues(any[1]!));
  const equal = /^= '((?:[^']|'')*)'/.exec(rest);
  if (equal) return takesValues(field, [equal[1]!.replaceAll("''", "'")]);
  const pattern = /^~ '((?:[^']|'')*)'::text\)*$/.exec(rest);
  if (pattern && field.type === "text" && field.pattern === undefined) {
    field.pattern = pattern[1]!.replaceAll("''", "'");
    return true;
  }
  return false;
}

function takeLimit(field: Field, sign: string, value: string): boolean {
  if (!["integer", "decimal", "date"].includes(field.type)) return false;
  const open = sign === "<" || sign === ">";
  const side = sign.startsWith(">") ? "least" : "most";
  const step = side === "least" ? 1 : -1;
  let limit: number | string = field.type === "date" ? value : Number(value);
  if (open) {
    // What is more than a number is at least the next one, where there is a next one.
    if (typeof limit === "string" || field.type === "date") return false;
    const scale = field.type === "integer" ? 0 : (field.scale ?? 0);
    limit = Number((limit + step * 10 ** -scale).toFixed(scale));
  }
  const known = field[side];
  if (known === undefined || (side === "least" ? limit > known : limit < known)) field[side] = limit;
  return true;
}

function quotedValues(list: string): string[] {
  return [...list.matchAll(/'((?:[^']|'')*)'/g)].map((m) => m[1]!.replaceAll("''", "'"));
}

/** Whether a column takes every value that a field allows, so that nothing fails when it is written. */
export function columnTakes(column: Pick<TableColumn, "type" | "labels">, field: Field): boolean {
  if (column.labels && field.type !== "code") return false;
  // A contract may have said by a pattern what the type UUID says.
  if (column.type === "uuid" && field.type === "text") return field.pattern === UUID_PATTERN;
  return typePart(field.type).fits(column, field);
}
