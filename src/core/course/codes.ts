import { utf8 } from "../kernel/bytes.ts";
import type { Distinct } from "../kernel/distinct.ts";
import { hash32 } from "../kernel/hash.ts";
import type { Field } from "../field/field.ts";

/** What came in a code field. */
export interface CodesSeen {
  readonly field: string;
  /** Values of its list that came at all; empty where too many different values came to say. */
  readonly seen: readonly string[];
  /** Values that are not in its list, the commonest first. */
  readonly unknown: readonly { readonly value: string; readonly count: number }[];
}

/** Values outside of a code's list that are counted one by one. */
const MOST_UNKNOWN = 200;

/** Of each code field, the values that are not in its list, with their counts. */
export class UnknownCodes {
  private readonly counts = new Map<number, Map<string, number>>();

  constructor(private readonly fields: readonly Field[]) {
    fields.forEach((field, f) => field.type === "code" && this.counts.set(f, new Map()));
  }

  has(f: number): boolean {
    return this.counts.has(f);
  }

  add(f: number, value: string): void {
    const values = this.counts.get(f)!;
    const known = values.get(value);
    if (known !== undefined || values.size < MOST_UNKNOWN) values.set(value, (known ?? 0) + 1);
  }

  /** `distinct`: by field, all of its values, where those were counted. */
  seen(distinct: readonly Distinct[]): CodesSeen[] {
    return [...this.counts].map(([f, values]) => {
      const field = this.fields[f]!;
      const seen = (field.values ?? []).filter((value) => {
        const bytes = utf8(value);
        return distinct[f]?.has(hash32(new DataView(bytes.buffer, bytes.byteOffset, bytes.length), 0, bytes.length));
      });
      const unknown = [...values].map(([value, count]) => ({ value, count })).sort((a, b) => b.count - a.count);
      return { field: field.name, seen, unknown };
    });
  }
}
