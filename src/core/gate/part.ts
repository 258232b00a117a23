import type { z } from "zod";
import type { OptionsOf } from "../kernel/options.ts";
import { counted, grouped } from "../kernel/problem.ts";
import type { Doubt } from "../read/part.ts";
import type { Field } from "../field/field.ts";
import type { TypeId } from "../type/index.ts";
import { LEAST_HISTORY } from "./usual.ts";

/** What a gate measured and whether the load may pass it. */
export interface Judged {
  readonly passed: boolean;
  readonly message: string;
  /** Totals that the sender announced, each with what came; of gates that compare such. */
  readonly announced?: readonly Announced[];
}

/** A total as the sender announced it, and as it came. */
export interface Announced {
  /** “records”, or “sum of” and a field. */
  readonly what: string;
  readonly announced: number;
  readonly came: number;
}

/** What a field's sound values come to over a load, where a gate asks for it. */
export interface Figure {
  readonly field: string;
  /** Values that it is made of. */
  readonly count: number;
  /** Of numbers: their exact sum, in digits. */
  readonly sum?: string;
  /** Of dates and times: the greatest, as the target has it. */
  readonly newest?: string;
  /** Of anything else: the commonest values with their shares; what is left of 1 is other values. */
  readonly shares?: readonly (readonly [value: string, share: number])[];
  /** What other parts of `report/figures` make of values. */
  readonly [other: string]: unknown;
}

/** Text that came with a delivery and is no record: the last lines of a file, or a file beside it. */
export interface ControlText {
  readonly name: string;
  readonly text: string;
}

/** Records that the target had already when the load was about to be written. */
export interface LoadedBefore {
  readonly records: number;
  /** Of how many. */
  readonly of: number;
  /** The key is there, or a row that is alike in all fields. */
  readonly by: "key" | "all fields";
}

/** Rows of the target that did not come with a load. */
export interface GoneRows {
  readonly did: "remove" | "mark";
  /** Rows that did not come and were not marked before. */
  readonly rows: number;
  /** Of how many: rows that loads of the feed wrote, of the partners, months, ... that came. */
  readonly of: number;
  /** Of these, rows that other tables refer to, which are never removed. */
  readonly referred: number;
  /** Held records whose key is not known. */
  readonly unsure: number;
  /** They were left, as any of them may be one of those. */
  readonly left: boolean;
}

export interface Filled {
  readonly name: string;
  readonly filled: number;
  readonly of: number;
}

/** Of an earlier load, what a gate can hold a new one against. */
export interface HistoryEntry {
  readonly read: number;
  readonly filled: readonly Filled[];
  readonly figures?: readonly Figure[];
}

/** What gates measure of a load. */
export interface Measured {
  readonly read: number;
  readonly held: number;
  readonly files: readonly {
    readonly name: string;
    readonly columns: readonly string[];
    /** Fields that no column gives, and columns that no field takes. */
    readonly missing: readonly string[];
    readonly extra: readonly string[];
    readonly doubts?: readonly Doubt[] | undefined;
  }[];
  /** The fields that must not be empty. */
  readonly required: readonly string[];
  /** By field: cells that are filled, of how many. */
  readonly filled: readonly Filled[];
  /** What the sender's loads before had, the newest first. */
  readonly history: readonly HistoryEntry[];
  /** What fields come to where a gate asks for it. */
  readonly figures: readonly Figure[];
  /** Where the sender says what was sent. */
  readonly controls: readonly ControlText[];
  /** What the target had already; null where nobody has looked. */
  readonly loadedBefore?: LoadedBefore | null;
  /** Rows of the target that did not come; null where nobody has looked. */
  readonly gone?: GoneRows | null;
  /** When the delivery came; null where nobody knows. */
  readonly received: Date | null;
}

/** What a gate's options are held against when a plan is read. */
export interface GateScope {
  field(name: string): Field | undefined;
  /** Lines at the end of each file that are no records. */
  readonly skipEnd: number;
}

/** How an option is set in an editor: a share as per cent, a number, one of the plan's fields. */
export type GateControl = "share" | "number" | "field";

/** A limit past which a load stops before the target is touched: one file each. */
export interface GatePart<Id extends string, Shape extends z.ZodRawShape> {
  readonly id: Id;
  /** What an editor offers: “how old the newest day may be”. */
  readonly title: string;
  /** One sentence for the person who chooses it. */
  readonly about: string;
  readonly options: Shape;
  /** The gate as a line of an editor, each option that is set there in braces; null where it has an editor of its own. */
  readonly sentence: string | null;
  readonly controls: { readonly [option in keyof Shape]?: GateControl };
  /** A plan has it once at most. */
  readonly once?: boolean;
  /** The types that fields which it speaks of may have; any unless said. */
  readonly types?: readonly TypeId[];
  /** It asks what its fields come to. */
  readonly figures?: boolean;
  /** The options that an editor begins with; `field` fits `types`, where one does. */
  begin(field: string): OptionsOf<Shape>;
  /** The same gate with each name of a field changed; null where it makes no sense without a name that is taken away. Unless given, `field` is the one name. */
  mapFields?(options: OptionsOf<Shape>, change: (name: string) => string | null): OptionsOf<Shape> | null;
  /** What is wrong with it besides names and types of fields, or null. */
  fault?(options: OptionsOf<Shape>, scope: GateScope): string | null;
  judge(options: OptionsOf<Shape>, measured: Measured): Judged;
  /** Run as tests. */
  readonly examples: readonly {
    readonly options: OptionsOf<Shape>;
    readonly measured: Partial<Measured>;
    readonly passed: boolean;
    /** In its message. */
    readonly says: string;
  }[];
}

/** A gate with its options known to the compiler. */
export function gatePart<const Id extends string, Shape extends z.ZodRawShape>(
  part: GatePart<Id, Shape>,
): GatePart<Id, Shape> {
  return part;
}

/** Too few loads before to hold one against them: it passes, and says why. */
export function tooFew(loads: number): Judged | null {
  return loads < LEAST_HISTORY
    ? { passed: true, message: `Only ${counted(loads, "load")} before: too few to say what is usual.` }
    : null;
}

/** The figures of a field, now and in the loads before that had any. */
export function figuresOf(measured: Measured, field: string): { now: Figure | undefined; before: Figure[] } {
  const own = (list: readonly Figure[] | undefined): Figure | undefined => list?.find((f) => f.field === field);
  return {
    now: own(measured.figures),
    before: measured.history.flatMap((h) => own(h.figures) ?? []).filter((f) => f.count > 0),
  };
}

/** A number with as many digits as a person needs to compare it. */
export function short(n: number): string {
  return Number.isInteger(n) ? grouped(n) : Number(n.toPrecision(6)).toLocaleString("en", { maximumFractionDigits: 6 });
}
