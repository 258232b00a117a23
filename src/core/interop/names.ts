import { formatSchema } from "../type/date.ts";
import { compilePattern } from "../kernel/pattern.ts";
import type { Field } from "../field/field.ts";
import { fieldName } from "../profile/propose.ts";

/** Gathers fields that come from elsewhere: names that a plan allows, and what could not be taken along. */
export class FieldTaker {
  readonly fields: Field[] = [];
  readonly lost: string[] = [];
  private readonly used = new Set<string>();
  private readonly named = new Map<string, string>();

  add(name: string, title: string | undefined, rest: Omit<Field, "name">): void {
    const own = fieldName(name, this.used);
    this.used.add(own);
    this.named.set(name, own);
    const shown = title ?? name;
    const field: Field = { name: own, ...rest };
    if (shown !== "" && shown !== own) field.title = shown.slice(0, 120);
    const also = [...(own === name || name === "" ? [] : [name]), ...(rest.also ?? [])];
    if (also.length > 0) field.also = [...new Set(also.map((a) => a.slice(0, 200)))];
    this.fields.push(field);
  }

  /** The names here of fields there; those that are not there are lost. */
  names(list: readonly unknown[], what: string): string[] {
    return list.flatMap((n) => {
      const own = this.named.get(String(n));
      if (!own) this.lost.push(`${what}: there is no field ${String(n)}`);
      return own ? [own] : [];
    });
  }

  lose(field: string, what: string): void {
    this.lost.push(`${field}: ${what}`);
  }

  /** Lists what was said of the field added last that has no place in it: of a code its values say how they are written. */
  loseUnsaid(name: string, said: Readonly<Record<string, unknown>>): void {
    const { length, ...field } = this.fields.at(-1)!;
    if (field.type === "code") return;
    const { shortest, least, most } = field;
    const places = {
      ...{ minLength: shortest, maxLength: length, minimum: least, maximum: most },
      ...{ minInclusive: least, maxInclusive: most, minExclusive: undefined, maxExclusive: undefined },
    };
    for (const [word, place] of Object.entries(places)) {
      const says = word in said && !(word === "minLength" && said[word] === 0);
      if (says && place === undefined) this.lose(name, word);
    }
    // Of a text, a pattern that is not taken has been told.
    if ("pattern" in said && field.type !== "text") this.lose(name, "pattern");
  }

  /** A pattern that the whole value must fit; nothing where RE2 has no words for it. */
  pattern(field: string, source: unknown, whole: boolean): Pick<Field, "pattern"> {
    if (typeof source !== "string" || source === "") return {};
    const pattern = whole ? `^(?:${source})$` : source;
    try {
      compilePattern(pattern);
      return { pattern };
    } catch {
      this.lose(field, `its pattern ${source} is not one of linear time`);
      return {};
    }
  }

  /** The format of a field of days, or of times of day, where it is one that is understood. */
  formats(field: string, format: string | null, of = formatSchema): Pick<Field, "formats"> | null {
    if (format === null) return null;
    if (of.safeParse(format).success) return { formats: [format] };
    this.lose(field, `its format ${format} is not understood`);
    return null;
  }
}

/** Whether a pattern fits whole values only. */
export const isWhole = (pattern: string): boolean => /^\^.*\$$/s.test(pattern);

/** A field for times of day as ISO 8601 writes them. */
export function timeField(): Pick<Field, "type" | "formats"> {
  return { type: "time", formats: ["HH:mm:ss", "HH:mm:ss.SSSSSS", "HH:mm"] };
}

/** A field of lists; what its values are in another standard's words, and the mark between them. */
export function listField(of: unknown, by: unknown): Pick<Field, "type" | "of" | "by"> {
  return {
    type: "list",
    of: of === "integer" ? "integer" : of === "number" ? "decimal" : of === "date" ? "date" : "text",
    by: typeof by === "string" && by !== "" && by.length <= 10 ? by : ";",
  };
}

/** Limits of a field as numbers or texts, where they are there. */
export function limitsOf(least: unknown, most: unknown): Pick<Field, "least" | "most"> {
  const limit = (v: unknown): v is number | string => typeof v === "number" || (typeof v === "string" && v !== "");
  return { ...(limit(least) ? { least } : {}), ...(limit(most) ? { most } : {}) };
}

/** How many characters a text has, by the words that JSON Schema, Table Schema and CSV on the Web share. */
export function charactersOf(said: Readonly<Record<string, unknown>>): Pick<Field, "length" | "shortest"> {
  const whole = (v: unknown): v is number => Number.isInteger(v) && (v as number) > 0;
  const { minLength: least, maxLength: most } = said;
  return {
    ...(whole(least) && !(whole(most) && least > most) ? { shortest: least } : {}),
    ...(whole(most) ? { length: most } : {}),
  };
}
