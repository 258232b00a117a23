import type { Compiled } from "../../course/compiled.ts";
import type { Sifted } from "../../course/sifted.ts";
import { fieldsOf, gatePartOf } from "../../gate/index.ts";
import type { Figure } from "../../gate/part.ts";
import { NOT_OF_TYPE, isPassedOver } from "../../kernel/verdict.ts";
import type { Field } from "../../field/field.ts";
import type { Fold } from "./part.ts";
import { FIGURE_PARTS } from "./parts.ts";

const foldOf = (field: Field): Fold => FIGURE_PARTS.find((part) => part.of(field))!.fold(field);

/** Fields whose figures the plan's gates ask for. */
function askedFor({ plan }: Compiled): Set<string> {
  return new Set(plan.gates.filter((g) => gatePartOf(g.limit).figures).flatMap(fieldsOf));
}

/** Adds up what the gates of a plan ask of its fields: of the sound cells of all records that can be read and were not left out. */
export class Figures {
  private readonly folds: { f: number; field: Field; count: number; fold: Fold }[];

  constructor(compiled: Compiled) {
    const names = askedFor(compiled);
    this.folds = compiled.fields.flatMap((field, f) =>
      names.has(field.name) ? [{ f, field, count: 0, fold: foldOf(field) }] : [],
    );
  }

  add({ block, heap, cells, faults, verdict }: Sifted): void {
    for (const own of this.folds) {
      const { start, end } = cells[own.f]!;
      for (let r = 0; r < block.count; r++) {
        if (start[r] === end[r] || faults[own.f]![r] === NOT_OF_TYPE || isPassedOver(verdict[r]!)) continue;
        own.fold.take(heap, cells[own.f]!, r);
        own.count++;
      }
    }
  }

  finish(): Figure[] {
    return this.folds.map(({ field, count, fold }) => ({ field: field.name, count, ...fold.finish(count) }));
  }
}
