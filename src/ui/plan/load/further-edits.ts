import type { OwnTable } from "@/core/plan/own-table.ts";
import type { TargetCopy } from "@/core/plan/copies.ts";
import type { Plan } from "@/core/plan/document.ts";
import type { Further, FurtherField, Takes } from "@/core/plan/further-schema.ts";
import { furtherFields, furtherOf, handedFault } from "@/core/plan/further.ts";

/** What a person does to the further targets of a plan. Each gives another plan. */

const named = (plan: Plan, base: string): string => {
  const taken = new Set([plan.load.target, ...(plan.load.further ?? []).map((f) => f.target)]);
  let name = base;
  for (let n = 2; taken.has(name); n++) name = `${base}_${n}`;
  return name;
};

/** The plan with other further targets; what a target handed on that is gone is handed on no more. */
export function withFurther(plan: Plan, list: readonly Further[]): Plan {
  const { further: _, taken_from: taken = [], ...load } = plan.load;
  const kept = taken.filter((t) => list.some((f) => f.target === t.from.target));
  const next = {
    ...load,
    ...(list.length > 0 ? { further: [...list] } : {}),
    ...(kept.length > 0 ? { taken_from: kept } : {}),
  };
  return { ...plan, load: next };
}

/** The plan with one more further target: all fields, and the key of its own target. */
export function addFurther(plan: Plan): Plan {
  const { key, target } = plan.load;
  const fields = plan.contract.fields.map(({ name }) => ({ name }));
  const mode = key.length > 0 ? "upsert" : "append";
  const one: Further = { target: named(plan, `${target}_also`), turn: "after", rows: "record", fields, key, mode };
  return withFurther(plan, [...(plan.load.further ?? []), one]);
}

/** The plan with a further target changed, or without it. */
export function setFurther(plan: Plan, at: number, next: Further | null): Plan {
  const list = plan.load.further ?? [];
  const was = list[at]!;
  if (!next)
    return withFurther(
      plan,
      list.filter((_, i) => i !== at),
    );
  // What is handed on from it follows its name.
  const renamed = <T extends { handed?: { target: string } | undefined }>(f: T): T =>
    f.handed?.target === was.target ? { ...f, handed: { ...f.handed, target: next.target } } : f;
  const others = list.map((f, i) => (i === at ? next : f.fields ? { ...f, fields: f.fields.map(renamed) } : f));
  const taken = plan.load.taken_from?.map((t) =>
    t.from.target === was.target ? { ...t, from: { ...t.from, target: next.target } } : t,
  );
  return withFurther({ ...plan, load: { ...plan.load, ...(taken ? { taken_from: taken } : {}) } }, others);
}

/** The plan with a further target written one place earlier. */
export function moveUp(plan: Plan, at: number): Plan {
  const list = [...(plan.load.further ?? [])];
  const [one] = list.splice(at, 1);
  list.splice(Math.max(0, at - 1), 0, one!);
  return withFurther(plan, list);
}

/** A further target of which each record, or each key, makes a row; what its columns take goes with the many. */
export function setRows(further: Further, plan: Plan, rows: Further["rows"]): Further {
  const fields = furtherFields(plan, further).map(({ takes: _, ...f }) => f);
  const mode = rows === "key" && further.mode === "append" ? "upsert" : further.mode;
  return { ...further, rows, mode, fields };
}

/** A further target that is written in another way; only a history has its days. */
export function setMode({ valid, ...further }: Further, mode: Further["mode"]): Further {
  return { ...further, mode, ...(valid && mode === "history" ? { valid } : {}) };
}

/** A further target of which each value of a list makes a row, or none. */
export function setEach(further: Further, each: string): Further {
  const { each: _, ...rest } = further;
  return each === "" ? rest : { ...rest, each };
}

/** What a column may have, as a choice: a field, the number of records, or what a table hands on. */
export function sourcesOf(plan: Plan, further: Further, at: number): { value: string; words: string }[] {
  const handing = [plan.load.target, ...furtherOf(plan).map((f) => f.target)].filter(
    (target) =>
      target !== further.target &&
      handedFault(plan, { target, column: "x" }, { turn: further.turn, at, each: further.each }) === null,
  );
  const numbered = (target: string): string | undefined =>
    target === plan.load.target ? plan.load.numbered : plan.load.further?.find((f) => f.target === target)?.numbered;
  return [
    ...plan.contract.fields.map(({ name }) => ({ value: `field ${name}`, words: name })),
    ...(further.rows === "key" ? [{ value: "count", words: "how many records" }] : []),
    ...handing.flatMap((target) => {
      const column = numbered(target);
      return column === undefined ? [] : [{ value: `handed ${target} ${column}`, words: `${target}.${column}` }];
    }),
  ];
}

/** The choice that a column has made among its sources. */
export function sourceOf({ name, of, takes, handed }: FurtherField): string {
  if (handed) return `handed ${handed.target} ${handed.column}`;
  return takes === "count" && of === undefined ? "count" : `field ${of ?? name}`;
}

/** A column that has something else. */
export function withSource({ name, takes }: FurtherField, source: string): FurtherField {
  const [kind, first = "", second = ""] = source.split(" ");
  if (kind === "count") return { name, takes: "count" };
  if (kind === "handed") return { name, handed: { target: first, column: second } };
  return { name, of: first, ...(takes && takes !== "count" ? { takes } : {}) };
}

/** A column that takes something else of many records. */
export function withTakes({ takes: _, ...column }: FurtherField, takes: Takes): FurtherField {
  return takes === "first" ? column : { ...column, takes };
}

/** A further target with other columns; its key follows their names. */
export function setColumn(further: Further, plan: Plan, at: number, next: FurtherField | null): Further {
  const columns = furtherFields(plan, further);
  const was = columns[at]!.name;
  const fields = columns.flatMap((c, i) => (i !== at ? [c] : next ? [next] : []));
  const key = further.key.flatMap((k) => (k !== was ? [k] : next ? [next.name] : []));
  return { ...further, fields, key };
}

/** A further target with other copies in other databases. */
export function withTheirCopies({ copies: _, ...further }: Further, copies: TargetCopy[] | undefined): Further {
  return copies ? { ...further, copies } : further;
}

/** A further target with other indexes, or other defaults. */
export function withTheirTable({ indexes: _, defaults: __, ...further }: Further, table: OwnTable): Further {
  const { indexes, defaults } = table;
  return { ...further, ...(indexes ? { indexes } : {}), ...(defaults ? { defaults } : {}) };
}
