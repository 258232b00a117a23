import { z } from "zod";
import type { OptionsOf } from "../kernel/options.ts";
import { unionOf } from "../kernel/union.ts";
import type { GatePart, GateScope } from "./part.ts";
import { GATE_PARTS } from "./parts.ts";

type Parts = (typeof GATE_PARTS)[number];
export type GateId = Parts["id"];

type OptionsOfPart<P extends Parts> = P extends Parts
  ? keyof P["options"] extends never
    ? unknown
    : OptionsOf<P["options"]>
  : never;

/** A gate of a plan: `limit` says which part, the other properties are that part's options. */
export type Gate = { [P in Parts as P["id"]]: { limit: P["id"] } & OptionsOfPart<P> }[GateId];

/** A part, its options not yet told apart. */
export type AnyGatePart = GatePart<GateId, z.ZodRawShape>;

export function gatePartOf(id: GateId): AnyGatePart {
  return GATES.get(id)!;
}

const GATES = new Map(GATE_PARTS.map((p) => [p.id as GateId, p as Parts as unknown as AnyGatePart]));

/** What a plan may have as a gate. */
export const gateSchema: z.ZodType<Gate, Gate> = unionOf<Gate>(
  "limit",
  GATE_PARTS.map((part) => z.strictObject({ limit: z.literal(part.id), ...part.options })),
);

/** The name of a gate on the report: “empty share of mass”. */
export function gateName(gate: Gate): string {
  return "field" in gate ? `${gate.limit} of ${gate.field}` : gate.limit;
}

/** The gate with each name of a field changed; null where it makes no sense without one that is taken away. */
export function withFields(gate: Gate, change: (name: string) => string | null): Gate | null {
  const part = gatePartOf(gate.limit);
  const { limit, ...options } = gate;
  if (part.mapFields) {
    const mapped = part.mapFields(options, change);
    return mapped && ({ limit, ...mapped } as Gate);
  }
  if (!("field" in gate)) return gate;
  const field = change(gate.field);
  return field === null ? null : { ...gate, field };
}

/** The fields that a gate speaks of. */
export function fieldsOf(gate: Gate): string[] {
  const names: string[] = [];
  withFields(gate, (name) => {
    names.push(name);
    return name;
  });
  return names;
}

/** What is wrong with a gate besides unknown fields, or null. */
export function gateFault(gate: Gate, scope: GateScope): string | null {
  const { types, fault } = gatePartOf(gate.limit);
  for (const name of fieldsOf(gate)) {
    const f = scope.field(name);
    if (types && f && !types.includes(f.type))
      return `${name} is of the type ${f.type}; the gate needs ${types.join(" or ")}.`;
  }
  const { limit: _, ...options } = gate;
  return fault?.(options, scope) ?? null;
}
