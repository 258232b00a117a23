import { AFTER_OUTCOMES, afterSchema, type AfterAction, type AfterOutcome } from "@/core/plan/after.ts";

/** What can be done after a load, in words. */
export const AFTER_KINDS: readonly (readonly [AfterAction["do"], string])[] = [
  ["call", "tell a receiver"],
  ["file", "write files"],
  ["put", "put files to an address"],
  ["feed", "give the records to another feed"],
  ["sql", "run a statement"],
  ["notice", "put a notice on Today"],
];

/** An action as it is begun with, which a plan can have. */
export function newAction(kind: AfterAction["do"], feed: string): AfterAction {
  const begun = {
    call: { url: "http://127.0.0.1:4312/" },
    file: { folder: feed },
    put: { url: "http://127.0.0.1:4313/" },
    feed: { feed: "another_feed" },
    notice: { text: "{sender}: load {load} has {held} of {read} records held" },
    sql: { connection: "logbook", sql: "select current_setting('sieve.load')" },
  };
  return afterSchema.parse({ do: kind, ...begun[kind] });
}

/** A query of an action as it is begun with, which gives something wherever it is asked. */
export const NEW_QUERY = { connection: "warehouse", sql: "select current_setting('sieve.load')::int as load" };

/** The ends of a load after which something is done, with one more or less of them, in their order. */
export function withOutcome(on: readonly AfterOutcome[], outcome: AfterOutcome, wanted: boolean): AfterOutcome[] {
  return AFTER_OUTCOMES.filter((o) => (o === outcome ? wanted : on.includes(o)));
}
