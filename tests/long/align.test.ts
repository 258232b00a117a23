import { describe, expect, it } from "vitest";
import { compilePlan } from "@/core/course/compile.ts";
import { alignCells, type Aligned } from "@/core/mend/align.ts";
import { planOf } from "../support/plans.ts";
import { random } from "../support/random.ts";

const COLUMNS = ["No", "Name", "Collector", "Day", "Land", "Altitude", "Wild", "Remark"];
const compiled = compilePlan(
  planOf([
    { name: "no", type: "text", pattern: "^[A-Z]{3}-\\d{4}$" },
    { name: "name", type: "text" },
    { name: "collector", type: "text" },
    { name: "day", type: "date", formats: ["yyyy-MM-dd"] },
    { name: "land", type: "code", values: ["NO", "SE", "FI"] },
    { name: "altitude", type: "integer", least: -500, most: 9000 },
    { name: "wild", type: "boolean", words: { yes: ["yes"], no: ["no"] } },
    { name: "remark", type: "text" },
  ]),
);
const READ = { as: "delimited", delimiter: ";", quote: '"', escape: '"', header: true, encoding: "utf-8" } as never;
const align = (raw: string): Aligned | null => alignCells(compiled, { raw, columns: COLUMNS, read: READ });

describe("cells of a record that has too few or too many", () => {
  it("are put where they fit, and the columns without one are named", () => {
    // Without the collector, and without the land.
    expect(align("ABC-1234;Wild rye;2026-05-31;830;yes;dry")).toEqual({
      cells: 6,
      empty: ["Collector", "Land"],
      joined: [],
      values: {
        no: "ABC-1234",
        name: "Wild rye",
        collector: "",
        day: "2026-05-31",
        land: "",
        altitude: "830",
        wild: "yes",
        remark: "dry",
      },
      sure: false,
    });
    expect(align("ABC-1234;Wild rye;Ash;2026-05-31;830;yes;dry")).toMatchObject({ empty: ["Land"], sure: true });
  });

  it("are taken together where a mark within a value has parted it", () => {
    expect(align("ABC-1234;Wild rye;Ash; Elm;2026-05-31;NO;830;yes;dry")).toMatchObject({
      cells: 9,
      joined: ["Collector: Ash; Elm"],
      values: { collector: "Ash; Elm", day: "2026-05-31", remark: "dry" },
    });
    expect(align("ABC-1234;Wild rye;Ash;2026-05-31;NO;830;yes;dry;very; dry")).toMatchObject({
      values: { remark: "dry;very; dry" },
      sure: true,
    });
  });

  it("keep their quotes' sense, and a quote that is never closed is a letter", () => {
    expect(align('ABC-1234;"Wild; rye";2026-05-31;NO;830;yes;dry')!.values).toMatchObject({ name: "Wild; rye" });
    expect(align('ABC-1234;"Wild rye;Ash;2026-05-31;NO;830;yes')!.values).toMatchObject({
      name: '"Wild rye',
      day: "2026-05-31",
    });
  });

  it("are not put where nothing is to be put, or nothing can be told", () => {
    expect(align("ABC-1234;Wild rye;Ash;2026-05-31;NO;830;yes;dry")).toBeNull();
    expect(align("one cell")).toBeNull();
    expect(alignCells(compiled, { raw: "a;b", columns: COLUMNS, read: { as: "json" } as never })).toBeNull();
    const wide = Array.from({ length: 200 }, (_, i) => `c${i}`);
    expect(alignCells(compiled, { raw: wide.slice(1).join(";"), columns: wide, read: READ })).toBeNull();
  });

  it("of records at random: what is called sure is right", () => {
    const next = random(77, 20);
    const draw = (below: number): number => Math.floor(next() * below);
    const pick = (...of: string[]): string => of[draw(of.length)]!;
    let [sure, right] = [0, 0];
    for (let i = 0; i < 300; i++) {
      const cells = [
        `ABC-${1000 + draw(9000)}`,
        pick("Wild rye", "Sedge", "Oat"),
        pick("Ash", "Elm", "Rowan Lyng"),
        `2026-0${1 + draw(9)}-1${draw(10)}`,
        pick("NO", "SE", "FI"),
        String(draw(3000)),
        pick("yes", "no"),
        pick("dry", "wet", "near the path"),
      ];
      const gone = draw(cells.length);
      const found = align(cells.filter((_, c) => c !== gone).join(";"))!;
      if (!found.sure) continue;
      sure++;
      const values = Object.values(found.values);
      if (values.every((v, c) => v === (c === gone ? "" : cells[c]))) right++;
    }
    expect(right).toBe(sure);
    // The names that stand side by side can't be told from each other, all others can.
    expect(sure).toBeGreaterThan(200);
  });
});
