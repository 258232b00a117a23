import type { TYPES, TypeId } from "./index.ts";
import type { TypePart } from "./part.ts";

type OptionsOfType<Part> = Part extends TypePart<infer Options> ? Options : never;
type Options = OptionsOfType<(typeof TYPES)[TypeId]>;
type NameOf<O> = O extends unknown ? keyof O : never;
type ValueOf<O, Name> = O extends unknown ? (Name extends keyof O ? O[Name] : never) : never;

/** A name with a type and the options of types; which of them may be there depends on the type. */
export type Typed = { name: string; type: TypeId } & {
  [Name in NameOf<Options>]?: ValueOf<Options, Name> | undefined;
};
