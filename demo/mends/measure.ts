import { compilePlan } from "@/core/course/compile.ts";
import { cleansedValues } from "@/core/course/of-record.ts";
import { recheck, siftRows } from "@/core/course/recheck.ts";
import { suggestMends, type ToMend } from "@/core/mend/suggest.ts";
import { Random } from "../random.ts";
import type { MendSet } from "./sets.ts";

/** What became of the records into which faults were put, when all first suggestions are taken in bulk. */
export interface MendTruth {
  /** Held for a fault of which what was meant can be told; and those of which it can't. */
  readonly mendable: number;
  readonly hopeless: number;
  /** All of the record's values are as they were meant. */
  readonly right: number;
  /** Values were put there that nobody meant, or that nobody can know. */
  readonly wrong: number;
  /** By fault: held, right, wrong. */
  readonly byFault: ReadonlyMap<string, { held: number; right: number; wrong: number; mendable: boolean }>;
}

/** Puts a fault into each of many records, asks for mends cause by cause, takes all of them, and holds what comes of it against what was meant. */
export function measureMends(of: MendSet, { seed, count }: { seed: number; count: number }): MendTruth {
  const random = new Random(seed);
  const compiled = compilePlan(of.plan, undefined, { day: "2026-11-30" });
  const names = compiled.fields.map((f) => f.name);
  interface Planted {
    readonly meant: readonly string[];
    readonly kind: (typeof of.faults)[number];
    values: string[];
    problems: ReturnType<typeof recheck>["problems"];
    touched: boolean;
  }
  const held = new Map<string, Planted>();
  const causes = new Map<string, string[]>();
  for (let n = 0; held.size < count && n < count * 20; n++) {
    const sound = of.sound(random, n);
    const kind = random.pick(of.faults);
    const sent = kind.plant(sound, random);
    if (!sent) continue;
    const cells = (row: Record<string, string>): string[] => names.map((name) => row[name] ?? "");
    const meant = recheck(compiled, cells(sound));
    if (!meant.passes) throw new Error(`a sound record of ${of.name} does not pass: ${meant.problems[0]!.message}`);
    const found = recheck(compiled, cells(sent));
    if (found.passes) continue;
    const id = `1:${n}`;
    // As a load keeps them: after the plan's steps, before its types.
    const values = cleansedValues(siftRows(compiled, names, [cells(sent)]), 0);
    held.set(id, { meant: meant.values, kind, values, problems: found.problems, touched: false });
    for (const check of new Set(found.problems.map((p) => p.check))) {
      causes.set(check, [...(causes.get(check) ?? []), id]);
    }
  }
  for (const [check, ids] of causes) {
    const records: ToMend[] = ids.map((id) => ({ id, load: 1, ...held.get(id)! }));
    for (const mend of suggestMends(compiled, check, records, { most: records.length })) {
      for (const id of mend.records) {
        const record = held.get(id)!;
        record.touched = true;
        for (const { field, to } of mend.sets) record.values[names.indexOf(field)] = to;
      }
    }
  }
  const byFault = new Map<string, { held: number; right: number; wrong: number; mendable: boolean }>();
  const sum = { mendable: 0, hopeless: 0, right: 0, wrong: 0 };
  for (const { meant, kind, values, touched } of held.values()) {
    const own = byFault.get(kind.name) ?? { held: 0, right: 0, wrong: 0, mendable: kind.mendable };
    byFault.set(kind.name, own);
    own.held++;
    sum[kind.mendable ? "mendable" : "hopeless"]++;
    const now = recheck(compiled, values);
    // A weight of 160 g is one of 160.0 g.
    const number = (i: number): boolean => compiled.fields[i]!.type === "decimal";
    const same = now.values.every(
      (v, i) => v === meant[i] || (number(i) && v !== "" && Number(v) === Number(meant[i])),
    );
    // Of what nobody can tell, a value that happens to be the one that was meant is a guess.
    if (kind.mendable && same && now.passes) {
      own.right++;
      sum.right++;
    } else if (touched) {
      own.wrong++;
      sum.wrong++;
    }
  }
  return { ...sum, byFault };
}
