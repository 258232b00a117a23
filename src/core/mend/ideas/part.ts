import type { Field } from "@/core/field/field.ts";

/** One value that could have been meant. */
export interface Idea {
  readonly to: string;
  /** Why it is thought of, in a few words. */
  readonly because: string;
  /**
   * Ideas of one value that contradict one another, as they read it in two ways: where more than one of them would
   * pass, nobody can say which was meant.
   */
  readonly eitherOf?: string;
}

/** A wrong value, and the loads whose records have it. */
export interface WrongValue {
  readonly value: string;
  readonly loads: readonly number[];
}

/** What ideas are looked for in: the field, and all of its wrong values, which say how the ones of a load are written. */
export interface Wrong {
  readonly field: Field;
  /** How its days may be written. */
  readonly formats: readonly string[];
  readonly values: readonly WrongValue[];
}

/** What values of a field could have been meant as: made once for all of them, asked for each; the most likely first. */
export type IdeaMaker = (wrong: Wrong) => (value: WrongValue) => Iterable<Idea>;
