import type { References } from "../kernel/reference.ts";
import type { TypeId } from "../type/index.ts";
import type { NamedFormulas } from "./named.ts";

/** What a formula can speak of. */
export interface Scope {
  readonly fields: readonly { readonly name: string; readonly type: TypeId }[];
  /** The number of the field that `it` is. */
  readonly it?: number | undefined;
  /** Formulas that can be used by their names. */
  readonly named?: NamedFormulas | undefined;
  /** Reference lists that it can ask; a formula that asks another one has no value. */
  readonly lists?: References | undefined;
  /** The day of the load, as ISO 8601; a formula that asks for it where there is none has no value. */
  readonly day?: string | undefined;
}
