import { boolean } from "./boolean.ts";
import { code } from "./code.ts";
import { date } from "./date.ts";
import { decimal } from "./decimal.ts";
import { integer } from "./integer.ts";
import { json } from "./json.ts";
import { list } from "./list.ts";
import { money } from "./money.ts";
import type { TypePart } from "./part.ts";
import { text } from "./text.ts";
import { time } from "./time.ts";
import { timestamp } from "./timestamp.ts";
import { uuid } from "./uuid.ts";

export const TYPES = { text, integer, decimal, money, boolean, date, time, timestamp, code, uuid, list, json } as const;
export type TypeId = keyof typeof TYPES;
export const TYPE_IDS = Object.keys(TYPES) as TypeId[];

/** The part for a type, its options not yet told apart. */
export function typePart(id: TypeId): TypePart<object> {
  return TYPES[id] as unknown as TypePart<object>;
}
