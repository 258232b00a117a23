import { cellText } from "@/core/bytes.ts";
import { repeatProblem, type Compiled, type Problem } from "@/core/plan/compile.ts";
import type { Sifted } from "@/core/sift.ts";
import type { LateProblem } from "@/store/ledger.ts";

/** Late problems of a record in words, from its values as sifted. */
export function addProblems(
  known: { compiled: Compiled; facts: readonly { name: string }[] },
  sifted: Sifted,
  r: number,
  late: readonly LateProblem[],
): Problem[] {
  return late.map((l) => {
    const { compiled } = known;
    const fields = fieldsOf(compiled, l.check);
    const values = fields.map((f) => cellText(sifted.heap, sifted.cells[f]!, r));
    return lateProblem(known, l, values);
  });
}

/** Numbers of the fields that a late problem's check is about. */
export function fieldsOf(compiled: Compiled, check: string): readonly number[] {
  return (
    compiled.checks.find((c) => c.key === check)?.fields ??
    compiled.plan.load.key.map((k) => compiled.fields.findIndex((f) => f.name === k))
  );
}

export function lateProblem(
  known: { compiled: Compiled; facts: readonly { name: string }[] },
  late: LateProblem,
  values: readonly string[],
): Problem {
  const first = late.line === null ? null : { file: known.facts[late.file!]?.name ?? "", line: late.line };
  return repeatProblem(known.compiled, late.check, values, first);
}
