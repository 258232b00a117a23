import { createReadStream, statSync } from "node:fs";
import { Heap, emptyCells } from "@/core/kernel/bytes.ts";
import { STEP_IDS, stepPart } from "@/core/cleanse/index.ts";
import { FormulaColumns } from "@/core/formula/columns.ts";
import { compileFormula } from "@/core/formula/compile.ts";
import { compilePlan } from "@/core/course/compile.ts";
import type { Plan } from "@/core/plan/document.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { siftFile } from "@/core/course/files.ts";
import { MemorySpill } from "@/core/check/repeats.ts";
import { siftRows } from "@/core/course/recheck.ts";
import { Course } from "@/core/course/course.ts";
import { cleansedValues } from "@/core/course/of-record.ts";
import { median } from "./median.ts";

type Say = (text: string) => void;

function ms(work: () => void, rounds = 5): number {
  const times: number[] = [];
  for (let i = 0; i < rounds; i++) {
    const began = performance.now();
    work();
    times.push(performance.now() - began);
  }
  return median(times);
}

const VALUES = 100_000;

/** The text with its digits, or its last letters, changed, so that few values are the same. */
function varied(text: string, n: number): string {
  let rest = n;
  const changed = text.replace(/\d/g, (d) => {
    const next = (Number(d) + rest) % 10;
    rest = Math.floor(rest / 10);
    return String(next);
  });
  if (changed !== text || n === 0) return changed;
  return text.replace(/\p{Ll}(?=\P{L}*$)/u, (l) => `${l}${n.toString(36).replace(/\d/g, "e")}`);
}

/** Each step over 100,000 values of its own examples, and common formulas: so that a slow one shows. */
export function benchSteps(say: Say): void {
  const parts: string[] = [];
  for (const id of STEP_IDS) {
    const part = stepPart(id);
    if (part.examples.length === 0) continue;
    const texts = Array.from({ length: VALUES }, (_, r) =>
      varied(part.examples[r % part.examples.length]!.from, Math.floor(r / part.examples.length)),
    );
    const apply = part.apply(part.examples[0]!.options);
    const heap = new Heap(new Uint8Array(8 << 20), 0);
    const cells = emptyCells(VALUES);
    const changed = new Uint8Array(VALUES);
    const time = ms(() => {
      heap.length = 0;
      for (let r = 0; r < VALUES; r++) {
        cells.start[r] = heap.append(texts[r]!);
        cells.end[r] = heap.length;
      }
      apply(heap, cells, VALUES, changed);
    });
    parts.push(`${id} ${time.toFixed(0)}`);
  }
  say(`steps over ${VALUES} values, ms (with making the values): ${parts.join(", ")}`);
  benchRecords(say);

  const fields = [
    { name: "code", type: "text" },
    { name: "weight", type: "decimal", precision: 9, scale: 3 },
    { name: "seeds", type: "integer" },
    { name: "sown", type: "date", formats: ["yyyy-MM-dd"] },
  ] as const;
  const heap = new Heap(new Uint8Array(8 << 20), 0);
  const cells = fields.map(() => emptyCells(VALUES));
  for (let r = 0; r < VALUES; r++) {
    [`SMH-${r}`, (r / 7).toFixed(3), String(r % 977), `2026-0${(r % 9) + 1}-1${r % 10}`].forEach((text, f) => {
      cells[f]!.start[r] = heap.append(text);
      cells[f]!.end[r] = heap.length;
    });
  }
  for (const source of [
    "weight > 0.0 && weight < 5000.0",
    "seeds >= 10 && seeds <= 900",
    "weight * 2.0 + 1.0 > double(seeds)",
    "code.startsWith('SMH')",
    "code in ['A', 'B', 'SMH-7']",
    "sown < timestamp('2026-06-01T00:00:00Z')",
    "seeds == 0 ? weight == 0.0 : weight > 0.0",
  ]) {
    const formula = compileFormula(source, { fields });
    const columns = new FormulaColumns(formula);
    const reading = ms(() => columns.read({ fields: fields as never, heap, cells }, VALUES, true));
    let held = 0;
    const evaluating = ms(() => {
      for (let r = 0; r < VALUES; r++) if (columns.value(r) === true) held++;
    });
    const slots = formula.uses.map((_, i) => ["x", 1.5, 7, 0][formula.uses[i]!]!);
    const reference = ms(() => {
      for (let r = 0; r < VALUES / 20; r++) formula.reference(slots);
    }, 3);
    say(
      `formula ${source}: ${(VALUES / evaluating / 1000).toFixed(1)} million a second (${(VALUES / (reading + evaluating) / 1000).toFixed(1)} with reading the cells), the library ${(VALUES / 20 / reference / 1000).toFixed(2)}${held > 0 ? "" : "; never true"}`,
    );
  }
}

/** Steps that need the record, and every kind of check, over 100,000 records of four fields: what each adds to the course. */
function benchRecords(say: Say): void {
  const fields = [
    { name: "a", type: "text" },
    { name: "b", type: "text" },
    { name: "n", type: "integer" },
    { name: "m", type: "integer" },
  ];
  const names = fields.map((f) => f.name);
  const rows = Array.from({ length: VALUES }, (_, r) => [
    `SMH-${r}`,
    r % 3 === 0 ? "" : `lot ${r % 997}`,
    `${r}`,
    `${r + 1}`,
  ]);
  const planWith = (more: object, own: object[] = fields): Plan =>
    parsePlan({ format: "good-sieve/plan@1", feed: "x", contract: { fields: own }, load: { target: "x" }, ...more });
  const time = (plan: Plan): number => {
    const compiled = compilePlan(plan);
    const { block } = siftRows(compiled, names, rows);
    const [start, end, length] = [block.start.slice(), block.end.slice(), block.heap.length];
    return ms(() => {
      block.start.set(start);
      block.end.set(end);
      block.heap.length = length;
      const course = new Course(compiled, { spill: new MemorySpill(), expected: VALUES });
      course.openFile(names);
      course.run(block);
      for (const _ of course.resolveLate());
    });
  };
  const bare = time(planWith({}));
  const added = (plan: Plan): string => Math.max(0, time(plan) - bare).toFixed(0);
  const steps = STEP_IDS.filter((id) => stepPart(id).records).map((id) => {
    const [e] = stepPart(id).records!;
    return `${id} ${added(planWith({ cleanse: [{ do: id, in: e!.in, ...e!.options }] }))}`;
  });
  say(`steps that need the record, over ${VALUES}, ms added: ${steps.join(", ")}`);
  const withFirst = (more: object): Plan => planWith({}, [{ ...fields[0], ...more }, ...fields.slice(1)]);
  const withThird = (more: object): Plan =>
    planWith(
      {},
      fields.map((f) => (f.name === "n" ? { ...f, ...more } : f)),
    );
  const checks: [string, Plan][] = [
    ["required", withFirst({ required: true })],
    ["length", withFirst({ length: 8 })],
    ["pattern", withFirst({ pattern: "^[A-Z]{3}-[0-9]+$" })],
    ["unique", withFirst({ unique: true })],
    ["least", withThird({ least: 5 })],
    ["most", withThird({ most: 90_000 })],
    ["no gaps", planWith({ check: [{ check: "no gaps", field: "n" }] })],
    ["no overlaps", planWith({ check: [{ check: "no overlaps", from: "n", to: "m", meet: true }] })],
    ["has parent", planWith({ check: [{ check: "has parent", fields: ["m"], of: ["n"] }] })],
    ["parts sum", planWith({ check: [{ check: "parts sum", parts: "n", whole: "m", by: ["b"] }] })],
  ];
  say(`checks over ${VALUES} records, ms added: ${checks.map(([name, plan]) => `${name} ${added(plan)}`).join(", ")}`);
}

const FORMULAS = [
  "quantity_g >= 0.0",
  "latitude > -90.0 && latitude < 90.0",
  "altitude_m < 5000 || country == 'NO'",
  "accession.startsWith(partner)",
  "collected_on < timestamp('2027-01-01T00:00:00Z')",
  "size(scientific_name) > 3",
  "country in ['GB', 'IE', 'FR', 'NO', 'IS', 'NL', 'DK', 'PT', 'ES']",
  "quantity_g * 2.0 < 1000000.0",
  "site != collector",
  "month(collected_on) >= 1",
];

/** The bench's plan with twenty steps, ten formulas and some more checks. */
export function largePlan(plan: Plan): Plan {
  return parsePlan({
    ...plan,
    cleanse: [
      ...plan.cleanse,
      { do: "invisible", in: "*" },
      { do: "unicode", form: "NFC", in: "*" },
      { do: "marks", in: ["collector", "site", "remarks"] },
      { do: "number", decimal: ".", in: ["latitude", "longitude", "quantity_g"] },
      { do: "fill", with: "none", in: ["remarks"] },
      { do: "cut", length: 190, in: ["remarks"] },
      { do: "value-map", to: { GB: ["UK"] }, in: ["country"] },
      { do: "keep", what: "digits", in: ["altitude_m"] },
      { do: "pad", length: 3, with: "0", in: ["partner"] },
      { do: "empty-words", words: ["-"], in: "*" },
      { do: "replace", find: "  ", with: " ", in: ["site"] },
      { do: "collapse", in: ["collector"] },
      { do: "trim", in: "*" },
      { do: "leave-out", in: "*", when: "partner == 'TEST'" },
    ],
    check: FORMULAS.map((that, i) => ({ name: `formula ${i + 1}`, that })),
  });
}

async function courseSeconds(plan: Plan, path: string): Promise<number> {
  const course = new Course(compilePlan(plan), { distinct: true });
  const began = performance.now();
  const source = {
    name: "bench.csv",
    bytes: statSync(path).size,
    chunks: () => createReadStream(path, { highWaterMark: 1 << 20 }) as AsyncIterable<Uint8Array>,
  };
  for await (const _ of siftFile(course, source as never, 0, plan.read, (() => null) as never));
  return (performance.now() - began) / 1000;
}

/** The course with many steps and formulas beside the course with few, and what an edit costs in the browser. */
export async function benchPlan(path: string, plan: Plan, rounds: number, say: Say): Promise<void> {
  const large = largePlan(plan);
  const few: number[] = [];
  const many: number[] = [];
  for (let i = 0; i < rounds; i++) {
    few.push(await courseSeconds(plan, path));
    many.push(await courseSeconds(large, path));
  }
  say(
    `course with 20 steps, 10 formulas and 17 checks / with 6 steps and 17 checks: median ${median(many).toFixed(2)} s / ${median(few).toFixed(2)} s, ratio ${(median(many) / median(few)).toFixed(2)}`,
  );
  const fields = plan.contract.fields.map((f) => f.name);
  const row = [
    "BHG-2026-0000001",
    "BHG",
    "Silene uniflora",
    "Ines Quenby",
    "2026-03-04",
    "Gull Ness",
    "GB",
    "54.1234",
    "-2.5",
    "12",
    "3.250",
    "dry",
  ];
  const sample = Array.from({ length: 10_000 }, () => row);
  const edit = ms(() => {
    const sifted = siftRows(compilePlan(plan), fields, sample);
    cleansedValues(sifted, 0);
  });
  say(`an edit of the plan over 10,000 records of 12 fields: ${edit.toFixed(0)} ms`);
}
