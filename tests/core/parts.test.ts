import { describe, expect, it } from "vitest";
import { gatePartOf, gateSchema } from "@/core/gate/index.ts";
import type { Measured } from "@/core/gate/part.ts";
import { GATE_PARTS } from "@/core/gate/parts.ts";
import { Heap, cellText, emptyCells, utf8 } from "@/core/kernel/bytes.ts";
import { STEP_IDS, stepPart } from "@/core/cleanse/index.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { DelimitedReader } from "@/core/read/delimited/reader.ts";
import { Course } from "@/core/course/course.ts";
import { fieldValues } from "@/core/course/of-record.ts";
import { VERDICT } from "@/core/kernel/verdict.ts";
import { CSV } from "../support/read.ts";
import { TYPE_IDS, typePart } from "@/core/type/index.ts";

/** One cell in a heap of its own, among other bytes so that spans matter. */
function oneCell(text: string) {
  const bytes = utf8(`before${text}after`);
  const heap = new Heap(bytes);
  const cells = emptyCells(1);
  cells.start[0] = 6;
  cells.end[0] = bytes.length - 5;
  return { heap, cells };
}

describe.each(TYPE_IDS)("type %s", (id) => {
  const part = typePart(id);
  it.each(part.examples.map((e) => [e.from, e.to, e.options] as const))("takes %j as %j", (from, to, options) => {
    const { heap, cells } = oneCell(from);
    const failed = part.convert(options)(heap, cells, 1, new Int32Array(1));
    expect(failed).toBe(to === null ? 1 : 0);
    expect(cellText(heap, cells, 0)).toBe(to ?? from);
  });
  it("has words for its problems", () => {
    const { options } = part.examples[0]!;
    expect(part.expected(options)).not.toBe("");
    expect(part.sql(options)).toMatch(/^[a-z]/);
  });
});

describe.each(STEP_IDS)("step %s", (id) => {
  const part = stepPart(id);
  it.each(part.examples.map((e) => [e.from, e.to, e.options] as const))("makes %j into %j", (from, to, options) => {
    const { heap, cells } = oneCell(from);
    const changed = new Uint8Array(1);
    const count = part.apply(options)(heap, cells, 1, changed);
    expect(cellText(heap, cells, 0)).toBe(to);
    expect(count).toBe(from === to ? 0 : 1);
    expect(changed[0]).toBe(count);
  });
  it.each((part.records ?? []).map((e) => [e.from, e.to, e] as const))("makes the record %j into %j", (from, to, e) => {
    const plan = parsePlan({
      format: "good-sieve/plan@1",
      feed: "x",
      contract: { fields: ["a", "b"].map((name) => ({ name, type: "text" })) },
      cleanse: [{ do: id, in: e.in, ...e.options }],
      load: { target: "x" },
    });
    const compiled = compilePlan(plan);
    const course = new Course(compiled);
    course.openFile(["a", "b"]);
    const [block] = [...new DelimitedReader(CSV).push(utf8(`a,b\n"${from["a"]}","${from["b"]}"\n`), true)];
    const sifted = course.run(block!);
    expect(sifted.verdict[0]).toBe(to === null ? VERDICT.leftOut : VERDICT.passes);
    if (to === null) return;
    expect(fieldValues(sifted, 0)).toEqual([to["a"], to["b"]]);
    const changed = ["a", "b"].filter((n) => from[n] !== to[n]).length;
    expect(sifted.tally.steps[0]).toBe(changed);
  });
  it("leaves an empty cell alone", () => {
    if (part.record) return;
    const { heap, cells } = oneCell("");
    expect(part.apply(part.examples[0]!.options)(heap, cells, 1, new Uint8Array(1))).toBe(0);
    expect(cellText(heap, cells, 0)).toBe("");
  });
  it("says what it does", () => {
    expect(part.words((part.examples[0] ?? part.records![0])!.options)).not.toBe("");
    expect(part.about).toMatch(/\.$/);
  });
});

describe.each(GATE_PARTS.map((p) => [p.id, gatePartOf(p.id)] as const))("gate %s", (id, part) => {
  const nothing: Measured = {
    read: 0,
    held: 0,
    files: [],
    required: [],
    filled: [],
    history: [],
    figures: [],
    controls: [],
    received: null,
  };
  it.each(part.examples.map((e) => [e.says, e] as const))("says “%s”", (says, { options, measured, passed }) => {
    expect(() => gateSchema.parse({ limit: id, ...options })).not.toThrow();
    const judged = part.judge(options, { ...nothing, ...measured });
    expect(judged.message).toContain(says);
    expect(judged.passed).toBe(passed);
  });
  it("passes and closes in its examples", () => {
    expect(new Set(part.examples.map((e) => e.passed))).toEqual(new Set([true, false]));
  });
  it("has a control for each option of its sentence, and begins as one that a plan takes", () => {
    const named = [...(part.sentence ?? "").matchAll(/\{(\w+)\}/g)].map((m) => m[1]);
    expect(named).toEqual(Object.keys(part.controls));
    expect(gateSchema.parse({ limit: id, ...part.begin("a") })).toMatchObject({ limit: id });
  });
});
