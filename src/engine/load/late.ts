import { cellText } from "@/core/kernel/bytes.ts";
import type { TableRule } from "@/core/interop/table.ts";
import { printCheck, readCheck } from "@/core/check/identity.ts";
import { lateProblem as ownProblem } from "@/core/course/problem-words.ts";
import type { Compiled, Problem } from "@/core/course/compiled.ts";
import type { Sifted } from "@/core/course/sifted.ts";
import type { LateProblem } from "@/store/ledger.ts";

/** What is known of a load when its late problems are put in words. */
export interface Known {
  readonly compiled: Compiled;
  readonly facts: readonly { name: string }[];
  /** The target's own rules by name, where they were asked for. */
  readonly rules?: ReadonlyMap<string, Pick<TableRule, "columns" | "definition">> | undefined;
}

/** Late problems of a record in words, from its values as sifted. */
export function addProblems(known: Known, sifted: Sifted, r: number, late: readonly LateProblem[]): Problem[] {
  return late.map((l) => {
    const fields = fieldsOf(known, l.check);
    const values = fields.map((f) => cellText(sifted.heap, sifted.cells[f]!, r));
    return lateProblem(known, l, values, (name) => {
      const f = known.compiled.fields.findIndex((x) => x.name === name);
      return f < 0 ? null : cellText(sifted.heap, sifted.cells[f]!, r);
    });
  });
}

/** Numbers of the fields that a late problem's check is about. */
export function fieldsOf({ compiled, rules }: Known, check: string): readonly number[] {
  const own = compiled.checks.find((c) => c.key === check)?.fields;
  if (own) return own;
  const id = readCheck(check);
  if (id.kind === "file") return [];
  const names = id.kind === "target" ? (rules?.get(id.rule)?.columns ?? []) : compiled.plan.load.key;
  return names.map((n) => compiled.fields.findIndex((f) => f.name === n)).filter((f) => f >= 0);
}

/** A late problem in words. `values`: those of its fields; `valueOf`: any field's. */
export function lateProblem(
  known: Known,
  late: LateProblem,
  values: readonly string[],
  valueOf: (name: string) => string | null,
): Problem {
  const id = readCheck(late.check);
  if (id.kind === "file") {
    return {
      check: late.check,
      field: "",
      value: "",
      message: `The whole file is held: ${id.drift}.`,
      expected: "a file as the plan knows it",
      onFailure: "hold",
    };
  }
  if (id.kind === "target") return ruleProblem(id.rule, known.rules?.get(id.rule), values);
  const other = late.line === null ? null : { file: known.facts[late.file!]?.name ?? "", line: late.line };
  return ownProblem(known.compiled, { check: late.check, other, detail: late.detail }, values, valueOf);
}

/** The problem of a record that the target would refuse by a rule of its own. */
export function ruleProblem(
  name: string,
  rule: Pick<TableRule, "columns" | "definition"> | undefined,
  values: readonly string[],
): Problem {
  return {
    check: printCheck({ kind: "target", rule: name }),
    field: rule?.columns[0] ?? "",
    value: values.join(", "),
    message: `The target would refuse the record by its rule ${name}.`,
    expected: rule?.definition ?? "values that the target's rule allows",
    onFailure: "hold",
  };
}
