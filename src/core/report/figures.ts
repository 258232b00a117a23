import { fieldsOf, gatePartOf } from "../gate/index.ts";
import type { Figure } from "../gate/part.ts";
import { cellText, type Cells, type Heap } from "../kernel/bytes.ts";
import { scaledText, unitsOf } from "../type/scaled.ts";
import type { Compiled } from "../course/compiled.ts";
import type { Field } from "../plan/types.ts";
import type { Sifted } from "../course/sifted.ts";
import { NOT_OF_TYPE, isPassedOver } from "../kernel/verdict.ts";

/** Values of a distribution that are told apart, while counting and on the report. */
const MOST_COUNTED = 5_000;
const MOST_TOLD = 100;

type Fold = { take(heap: Heap, cells: Cells, r: number): void; finish(count: number): Partial<Figure> };

/** The exact sum of decimals, in units of the field's last digit. */
function sumFold(scale: number): Fold {
  const unit = 10 ** scale;
  let [total, part] = [0n, 0];
  return {
    take(heap, cells, r) {
      const text = cellText(heap, cells, r);
      if (text.length > 15) total += unitsOf(text, scale);
      else {
        // Exact while it stays below 2^53.
        part += Math.round(Number(text) * unit);
        if (Math.abs(part) > 2 ** 51) {
          total += BigInt(part);
          part = 0;
        }
      }
    },
    finish: () => ({ sum: scaledText(total + BigInt(part), scale) }),
  };
}

function newestFold(): Fold {
  let newest = "";
  return {
    take(heap, cells, r) {
      const text = cellText(heap, cells, r);
      if (text > newest) newest = text;
    },
    finish: () => (newest === "" ? {} : { newest }),
  };
}

function sharesFold(): Fold {
  const counts = new Map<string, number>();
  return {
    take(heap, cells, r) {
      const text = cellText(heap, cells, r);
      const known = counts.get(text);
      if (known !== undefined || counts.size < MOST_COUNTED) counts.set(text, (known ?? 0) + 1);
    },
    finish: (count) => ({
      shares: [...counts]
        .sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1))
        .slice(0, MOST_TOLD)
        .map(([value, n]) => [value, n / count] as const),
    }),
  };
}

function foldOf(field: Field): Fold {
  if (field.type === "integer" || field.type === "decimal") return sumFold(field.scale ?? 0);
  return field.type === "date" || field.type === "timestamp" ? newestFold() : sharesFold();
}

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
