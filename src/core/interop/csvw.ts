import type { Plan } from "../plan/document.ts";
import type { Field } from "../field/field.ts";
import type { Given, StandardPart, Taken } from "./part.ts";
import { timeFormatSchema } from "../type/date.ts";
import { charactersOf, FieldTaker, isWhole, limitsOf, listField, timeField } from "./names.ts";

/** Metadata of CSV on the Web (W3C Recommendation, 2015): a table group's one table. */
function toCsvw(plan: Plan): Given {
  const lost: string[] = [];
  return {
    document: {
      "@context": "http://www.w3.org/ns/csvw",
      url: `${plan.feed}.csv`,
      tableSchema: {
        columns: plan.contract.fields.map((f) => columnOf(f, lost)),
        ...(plan.load.key.length > 0 ? { primaryKey: plan.load.key } : {}),
      },
    },
    lost,
  };
}

function columnOf(f: Field, lost: string[]): object {
  const names = [f.title ?? f.name, ...(f.also ?? [])];
  const limits = {
    ...(f.least === undefined ? {} : { minimum: f.least }),
    ...(f.most === undefined ? {} : { maximum: f.most }),
  };
  const datatype = (): object => {
    switch (f.type) {
      case "integer":
        return { base: "integer", ...limits };
      case "decimal":
        lost.push(`${f.name}: at most ${f.precision} digits, ${f.scale} of them after the point`);
        return { base: "decimal", ...limits };
      case "boolean": {
        const { yes = [], no = [] } = f.words ?? {};
        if (yes.length > 1 || no.length > 1) lost.push(`${f.name}: all words for yes and no but the first`);
        return { base: "boolean", format: `${yes[0] ?? "true"}|${no[0] ?? "false"}` };
      }
      case "date":
        if ((f.formats?.length ?? 0) > 1) lost.push(`${f.name}: the formats ${f.formats!.slice(1).join(", ")}`);
        return { base: "date", ...(f.formats?.[0] ? { format: f.formats[0] } : {}), ...limits };
      case "timestamp":
        if (f.formats) lost.push(`${f.name}: the formats ${f.formats.join(", ")}`);
        return { base: "dateTime", ...limits };
      case "time":
        if ((f.formats?.length ?? 0) > 1) lost.push(`${f.name}: the formats ${f.formats!.slice(1).join(", ")}`);
        return { base: "time", ...(f.formats?.[0] ? { format: f.formats[0] } : {}), ...limits };
      case "uuid":
        lost.push(`${f.name}: that it is a UUID`);
        return { base: "string" };
      case "json":
        return { base: "json" };
      case "money":
        lost.push(
          `${f.name}: ${f.currency === undefined ? "that each amount names its currency" : `the currency ${f.currency}`}`,
        );
        return f.currency === undefined
          ? { base: "string" }
          : { base: "decimal", ...(f.decimal === "," ? { format: { decimalChar: "," } } : {}), ...limits };
      case "list":
        return { base: f.of === "text" || f.of === undefined ? "string" : f.of };
      case "code":
        return { base: "string", format: (f.values ?? []).map(escaped).join("|") };
      default:
        if (f.pattern !== undefined && !isWhole(f.pattern))
          lost.push(`${f.name}: that its pattern may be found anywhere in the value; here it fits all of it`);
        return {
          base: "string",
          ...(f.shortest === undefined ? {} : { minLength: f.shortest }),
          ...(f.length === undefined ? {} : { maxLength: f.length }),
          ...(f.pattern === undefined ? {} : { format: f.pattern.replace(/^\^|\$$/g, "") }),
        };
    }
  };
  return {
    name: f.name,
    titles: names.length === 1 ? names[0] : names,
    datatype: datatype(),
    ...(f.type === "list" ? { separator: f.by ?? ";" } : {}),
    ...(f.required ? { required: true } : {}),
  };
}

function escaped(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|]/g, "\\$&");
}

/** The values of a pattern that is nothing but a text, or texts one or the other; null for any other pattern. */
function alternatives(pattern: string): string[] | null {
  const parts = pattern.split(/(?<!\\)\|/).map((p) => p.replace(/\\([\\^$.*+?()[\]{}|])/g, "$1"));
  const plain = pattern.replace(/\\[\\^$.*+?()[\]{}|]/g, "");
  return pattern !== "" && !/[\\^$.*+?()[\]{}]/.test(plain) ? parts : null;
}

/** Fields from CSV on the Web metadata: its table, or the first of several. */
function fromCsvw(document: Record<string, unknown>): Taken {
  const taker = new FieldTaker();
  let table = document;
  if (Array.isArray(document["tables"])) {
    if (document["tables"].length > 1) taker.lost.push(`${document["tables"].length - 1} more tables`);
    table = (document["tables"][0] ?? {}) as Record<string, unknown>;
  }
  const schema = (table["tableSchema"] ?? {}) as Record<string, unknown>;
  const columns = Array.isArray(schema["columns"]) ? (schema["columns"] as Record<string, unknown>[]) : [];
  for (const c of columns) {
    if (c["virtual"] === true) continue;
    const titles =
      typeof c["titles"] === "object" && c["titles"] !== null && !Array.isArray(c["titles"])
        ? Object.values(c["titles"]).flat()
        : [c["titles"] ?? []].flat();
    const [title, ...also] = titles.map(String);
    const name = String(c["name"] ?? title ?? "");
    const given = c["datatype"] ?? "string";
    const d = (typeof given === "object" ? given : { base: given }) as Record<string, unknown>;
    const base = { ...(c["required"] === true ? { required: true } : {}), ...(also.length > 0 ? { also } : {}) };
    for (const word of ["valueUrl", "lang", "null", "default"]) if (word in c) taker.lose(name, word);
    const limits = limitsOf(d["minimum"] ?? d["minInclusive"], d["maximum"] ?? d["maxInclusive"]);
    const kind = String(d["base"] ?? "string");
    const format = typeof d["format"] === "string" ? d["format"] : null;
    if (c["separator"] !== undefined)
      taker.add(name, title, { ...base, ...listField(kind === "decimal" ? "number" : kind, c["separator"]) });
    else if (kind === "time")
      taker.add(name, title, { ...base, ...timeField(), ...taker.formats(name, format, timeFormatSchema), ...limits });
    else if (kind === "json") taker.add(name, title, { ...base, type: "json" });
    else if (/^(integer|int|long|short|byte|nonNegativeInteger|positiveInteger|unsigned\w+)$/.test(kind)) {
      const least =
        kind === "positiveInteger" ? { least: 1 } : /^(nonNegative|unsigned)/.test(kind) ? { least: 0 } : {};
      taker.add(name, title, { ...base, type: "integer", ...least, ...limits });
    } else if (/^(decimal|number|double|float)$/.test(kind)) {
      taker.add(name, title, { ...base, type: "decimal", precision: 18, scale: 6, ...limits });
    } else if (kind === "boolean") {
      const [yes = "true", no = "false"] = format?.split("|") ?? [];
      taker.add(name, title, { ...base, type: "boolean", words: { yes: [yes], no: [no] } });
    } else if (kind === "date") {
      taker.add(name, title, {
        ...base,
        type: "date",
        ...(taker.formats(name, format) ?? { formats: ["yyyy-MM-dd"] }),
        ...limits,
      });
    } else if (/^(dateTime|datetime|dateTimeStamp)$/.test(kind)) {
      if (format) taker.lose(name, `its format ${format}`);
      taker.add(name, title, { ...base, type: "timestamp", ...limits } as Field);
    } else {
      if (kind !== "string" && kind !== "any" && kind !== "normalizedString" && kind !== "token")
        taker.lose(name, `the type ${kind}, taken as text`);
      const values = format === null ? null : alternatives(format);
      if (values) taker.add(name, title, { ...base, type: "code", values });
      else taker.add(name, title, { ...base, type: "text", ...charactersOf(d), ...taker.pattern(name, format, true) });
    }
    taker.loseUnsaid(name, d);
  }
  if (Array.isArray(schema["foreignKeys"]) && schema["foreignKeys"].length > 0) taker.lost.push("foreign keys");
  const key = schema["primaryKey"];
  return { fields: taker.fields, key: taker.names(key === undefined ? [] : [key].flat(), "the key"), lost: taker.lost };
}

export const csvw: StandardPart<"csvw"> = {
  id: "csvw",
  title: "CSV on the Web",
  knows: (d) => "@context" in d || "tableSchema" in d || "tables" in d,
  says: (f, check) =>
    check === "pattern" ? f.type === "text" : ["required", "least", "most", "length", "shortest"].includes(check),
  give: toCsvw,
  take: fromCsvw,
};
