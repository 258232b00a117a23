import { FormulaColumns } from "../formula/columns.ts";
import { NOT_OF_TYPE, VERDICT } from "../kernel/verdict.ts";
import type { Compiled } from "./compiled.ts";
import type { Sifted } from "./sifted.ts";

/**
 * Which further targets the records of a block go to: gives the numbers, by the order of the plan, of those whose filter
 * is true for a record. A filter without a value for it is not true. Without filters, all records go to all.
 */
export function intoFurther(compiled: Compiled, sifted: Sifted): (record: number) => number[] {
  const { cells, heap, faults, verdict, block } = sifted;
  const goes = compiled.further.map((formula): Uint8Array | null => {
    if (!formula) return null;
    const columns = new FormulaColumns(formula);
    columns.read({ fields: compiled.fields, heap, cells }, block.count, true);
    const is = new Uint8Array(block.count);
    for (let r = 0; r < block.count; r++) {
      if (verdict[r] !== VERDICT.passes && verdict[r] !== VERDICT.suspect) continue;
      if (formula.uses.some((f) => faults[f]![r] === NOT_OF_TYPE)) continue;
      try {
        if (columns.value(r) === true) is[r] = 1;
      } catch {
        // A formula without a value is not true.
      }
    }
    return is;
  });
  return (record) => goes.flatMap((is, n) => (is === null || is[record] === 1 ? [n] : []));
}
