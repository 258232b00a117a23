import { OUTCOMES } from "../kernel/ledger.ts";
import type { LoadReport } from "./report.ts";

/** A figure of two reports. */
export interface Compared {
  readonly name: string;
  readonly before: number | null;
  readonly after: number | null;
}

/** Two load reports beside each other; null where one of them does not have the thing. */
export interface ReportComparison {
  /** Records by outcome. */
  readonly outcomes: readonly Compared[];
  /** By field: shares filled, valid of the filled, and different values. */
  readonly fields: readonly {
    readonly name: string;
    readonly filled: Compared;
    readonly valid: Compared;
    readonly distinct: Compared;
  }[];
  /** By check: the share of the records read for which it found something. */
  readonly checks: readonly (Compared & { readonly key: string; readonly fault: string })[];
  readonly steps: readonly Compared[];
}

const share = (n: number, of: number): number => (of === 0 ? 0 : n / of);

/** Puts the report of one load beside that of another, what changed most first among the checks. */
export function compareReports(before: LoadReport, after: LoadReport): ReportComparison {
  const pick = <T>(list: readonly T[], name: (t: T) => string): Map<string, T> =>
    new Map(list.map((t) => [name(t), t]));
  const both = <T>(a: ReadonlyMap<string, T>, b: ReadonlyMap<string, T>): string[] => [
    ...new Set([...b.keys(), ...a.keys()]),
  ];
  const [fa, fb] = [before, after].map((r) => pick(r.fields, (f) => f.name)) as [
    Map<string, LoadReport["fields"][number]>,
    Map<string, LoadReport["fields"][number]>,
  ];
  const [ca, cb] = [before, after].map((r) => pick(r.checks, (c) => c.key)) as [
    Map<string, LoadReport["checks"][number]>,
    Map<string, LoadReport["checks"][number]>,
  ];
  const [sa, sb] = [before, after].map((r) => pick(r.steps, (s) => s.words)) as [
    Map<string, LoadReport["steps"][number]>,
    Map<string, LoadReport["steps"][number]>,
  ];
  const checks = both(ca, cb).map((key) => {
    const [a, b] = [ca.get(key), cb.get(key)];
    // What can be wrong with reading is only on the report where it was.
    const none = /^(read|file):/.test(key) ? 0 : null;
    return {
      key,
      name: key,
      fault: (b ?? a)!.fault,
      before: a ? share(a.problems, before.balance.read) : none,
      after: b ? share(b.problems, after.balance.read) : none,
    };
  });
  const moved = (c: Compared): number => Math.abs((c.after ?? 0) - (c.before ?? 0));
  return {
    outcomes: [
      { name: "read", before: before.balance.read, after: after.balance.read },
      ...OUTCOMES.map((o) => ({ name: o, before: before.balance.outcomes[o], after: after.balance.outcomes[o] })),
    ].filter((o) => o.before > 0 || o.after > 0),
    fields: both(fa, fb).map((name) => {
      const [a, b] = [fa.get(name), fb.get(name)];
      return {
        name,
        filled: { name, before: a ? share(a.filled, a.of) : null, after: b ? share(b.filled, b.of) : null },
        valid: { name, before: a ? share(a.valid, a.filled) : null, after: b ? share(b.valid, b.filled) : null },
        distinct: { name, before: a?.distinct ?? null, after: b?.distinct ?? null },
      };
    }),
    checks: checks.filter((c) => (c.before ?? 0) > 0 || (c.after ?? 0) > 0).sort((x, y) => moved(y) - moved(x)),
    steps: both(sa, sb).map((name) => ({
      name,
      before: sa.get(name)?.changed ?? null,
      after: sb.get(name)?.changed ?? null,
    })),
  };
}
