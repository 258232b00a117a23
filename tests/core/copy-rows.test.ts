import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { compilePlan } from "@/core/course/compile.ts";
import { DelimitedReader } from "@/core/read/delimited/reader.ts";
import { Course } from "@/core/course/course.ts";
import { copyDelimiter, copyRows } from "@/engine/load/copy-rows.ts";
import { planOf } from "../support/plans.ts";
import { CSV } from "../support/read.ts";

/** Reads COPY's text format as PostgreSQL's manual has it. */
function parseCopy(text: string, delimiter: string): string[][] {
  const letters: Record<string, string> = { n: "\n", r: "\r", t: "\t" };
  const rows: string[][] = [[""]];
  for (let i = 0; i < text.length; i++) {
    const row = rows.at(-1)!;
    const c = text[i]!;
    if (c === "\\") row[row.length - 1] += letters[text[++i]!] ?? text[i]!;
    else if (c === delimiter) row.push("");
    else if (c === "\n") rows.push([""]);
    else row[row.length - 1] += c;
  }
  rows.pop();
  return rows;
}

describe("rows for COPY", () => {
  const plan = compilePlan(
    planOf(
      [
        { name: "b", type: "text" },
        { name: "a", type: "text" },
        { name: "c", type: "text" },
        { name: "d", type: "date", formats: ["d.M.yyyy"], on_failure: "note" },
        { name: "gone", type: "text" },
      ],
      { cleanse: [{ do: "trim", in: ["a", "c"] }] },
    ),
  );

  it("give back every value, whatever characters, order, file delimiter and steps", () => {
    const value = fc.string({
      unit: fc.constantFrom("x", "é", " ", ",", ";", "\t", "\\", '"', "\n", "\r", "N", "."),
      maxLength: 5,
    });
    const row = fc.tuple(value, value, value, fc.constantFrom("1.2.2026", "31.2.2026", ""));
    fc.assert(
      fc.property(
        fc.array(row, { minLength: 1, maxLength: 8 }),
        fc.constantFrom(",", ";", "\t"),
        fc.constantFrom("auto", ";", "\t", "::"),
        (rows, inFile, inPlan) => {
          const quoted = (v: string): string => (/["\r\n\t,;]/.test(v) ? `"${v.replaceAll('"', '""')}"` : v);
          const text = [["a", "b", "c", "d"], ...rows].map((r) => r.map(quoted).join(inFile)).join("\n");
          const reader = new DelimitedReader({ ...CSV, delimiter: inFile });
          const course = new Course(plan);
          const out: string[][] = [];
          const delimiter = copyDelimiter(inPlan);
          for (const block of reader.push(new TextEncoder().encode(`${text}\n`), true)) {
            course.openFile(reader.columns!);
            out.push(...parseCopy(new TextDecoder().decode(copyRows(course.run(block), delimiter)), delimiter));
          }
          expect(out).toEqual(
            rows.map(([a, b, c, d], i) => [String(i), b, a.trim(), c.trim(), d === "1.2.2026" ? "2026-02-01" : "", ""]),
          );
        },
      ),
      {
        numRuns: 400,
        // A tab that was trimmed away just before a date that was written anew.
        examples: [[[["", "", 'x\n"\t', "1.2.2026"]], ",", "\t"]],
      },
    );
  });
});
