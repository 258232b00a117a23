import type { UnreadableReason } from "../kernel/block.ts";
import { FIELD_CHECKS, type FieldCheck } from "../field/checks/index.ts";

/**
 * Which check a problem is of. The ledger, links and reports have it as a text, its *key*, which
 * `printCheck` writes and `readCheck` reads; nobody else looks into a key.
 */
export type CheckIdentity =
  /** The record can't be read. */
  | { readonly kind: "read"; readonly reason: UnreadableReason }
  /** A check of the contract; `unique` may be of several fields together. */
  | { readonly kind: "field"; readonly fields: readonly string[]; readonly check: FieldCheck }
  /** That a value is one that its value map makes. */
  | { readonly kind: "mapped"; readonly field: string }
  /** A check by a formula, of a whole record or of a field's cells. */
  | { readonly kind: "rule"; readonly name: string; readonly field: string | null }
  /** A check between records, by its name or what it says. */
  | { readonly kind: "between"; readonly name: string }
  /** That a look-up finds an entry, or not several. */
  | { readonly kind: "look-up"; readonly name: string; readonly several: boolean }
  /** That the key is not in the target yet. */
  | { readonly kind: "taken" }
  /** That the key has a row in the target, where rows are only updated. */
  | { readonly kind: "unmet" }
  /** A rule of the target's own. */
  | { readonly kind: "target"; readonly rule: string }
  /** That its file has not drifted. */
  | { readonly kind: "file"; readonly drift: string };

/** First words of keys. A field that is called like one has “field:” before it. */
const KINDS = ["read", "rule", "between", "look-up", "target", "file", "field"];
const SEVERAL = "several";
const TAKEN = "taken";
const UNMET = "unmet";
const MAPPED = "mapped";

/** What a check is called is part of its key, where : and + part words. */
const word = (name: string): string => name.replace(/[:+]/g, " ");

/** The key of a check: “site:required”, “rule:seeds are counted:seeds”, “read:nul”. */
export function printCheck(id: CheckIdentity): string {
  switch (id.kind) {
    case "read":
      return `read:${id.reason}`;
    case "field":
      return ofFields(id.fields, id.check);
    case "mapped":
      return ofFields([id.field], MAPPED);
    case "rule":
      return id.field === null ? `rule:${word(id.name)}` : `rule:${word(id.name)}:${id.field}`;
    case "between":
      return `between:${word(id.name)}`;
    case "look-up":
      return `look-up:${word(id.name)}${id.several ? `:${SEVERAL}` : ""}`;
    case "taken":
      return `target:${TAKEN}`;
    case "unmet":
      return `target:${UNMET}`;
    case "target":
      return `target:${id.rule}`;
    case "file":
      return `file:${id.drift}`;
  }
}

function ofFields(fields: readonly string[], check: string): string {
  const key = `${fields.join("+")}:${check}`;
  return fields.length === 1 && KINDS.includes(fields[0]!) ? `field:${key}` : key;
}

/** What a key says. Throws nothing: a key that no check has is that of a rule of its name. */
export function readCheck(key: string): CheckIdentity {
  const [first = "", ...others] = key.split(":");
  const rest = key.slice(first.length + 1);
  switch (first) {
    case "read":
      return { kind: "read", reason: rest as UnreadableReason };
    case "rule":
      return { kind: "rule", name: others[0] ?? "", field: others[1] ?? null };
    case "between":
      return { kind: "between", name: rest };
    case "look-up":
      return { kind: "look-up", name: others[0] ?? "", several: others[1] === SEVERAL };
    case "target":
      if (rest === TAKEN) return { kind: "taken" };
      return rest === UNMET ? { kind: "unmet" } : { kind: "target", rule: rest };
    case "file":
      return { kind: "file", drift: rest };
  }
  const [names = "", check = ""] = first === "field" ? others : [first, rest];
  if (check === MAPPED) return { kind: "mapped", field: names };
  if (isFieldCheck(check)) return { kind: "field", fields: names.split("+"), check };
  return { kind: "rule", name: key, field: null };
}

function isFieldCheck(check: string): check is FieldCheck {
  return (FIELD_CHECKS as readonly string[]).includes(check);
}

/** The fields that a check names itself; of rules for whole records, and of checks between them, none. */
export function fieldsNamed(id: CheckIdentity): readonly string[] {
  if (id.kind === "field") return id.fields;
  if (id.kind === "mapped") return [id.field];
  return id.kind === "rule" && id.field !== null ? [id.field] : [];
}
