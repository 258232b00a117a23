import { describe, expect, it } from "vitest";
import { suggestMends } from "@/core/mend/suggest.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { recheck } from "@/core/course/recheck.ts";
import { planOf } from "../support/plans.ts";

const compiled = compilePlan(
  planOf(
    [
      { name: "no", type: "text", pattern: "^[A-Z]{3}-\\d{4}$" },
      { name: "land", type: "code", values: ["France", "Finland", "Norway", "GB", "GE"] },
      { name: "g", type: "decimal", precision: 9, scale: 2, most: 1000 },
      { name: "on_day", type: "date", formats: ["dd.MM.yyyy"] },
      { name: "sheet", type: "boolean", words: { yes: ["yes"], no: ["no"] } },
    ],
    { check: [{ name: "short", that: "size(it) < 9", in: ["no"] }] },
  ),
);
const SOUND = ["ABC-1234", "France", "1.5", "03.04.2026", "yes"];

/** Records that differ from a sound one in one field. */
function held(field: number, ...values: string[]) {
  return values.map((value, i) => {
    const own = SOUND.map((v, f) => (f === field ? value : v));
    return { id: `1:${i}`, values: own, problems: recheck(compiled, own).problems };
  });
}
const said = (check: string, field: number, ...values: string[]) =>
  suggestMends(compiled, check, held(field, ...values)).map((m) => `${m.from} → ${m.to}: ${m.releases}`);

describe("mends that could be meant", () => {
  it.each<[string, number, string[], string[]]>([
    ["land:type", 1, ["frnace", "NORWAY", "Atlantis"], ["NORWAY → Norway: 1", "frnace → France: 1"]],
    // Both GB and GE are one letter away.
    ["land:type", 1, ["GX"], []],
    // Two letters of a word of six or more, and one of a shorter one; all letters of a word is none of it.
    [
      "land:type",
      1,
      ["Frenze", "Farnke", "Noraly", "Frunko"],
      ["Farnke → France: 1", "Frenze → France: 1", "Noraly → Norway: 1"],
    ],
    ["land:type", 1, ["G"], []],
    ["g:type", 2, ["1,25", "12.5 g", "about"], ["1,25 → 1.25: 1", "12.5 g → 12.5: 1"]],
    [
      "on_day:type",
      3,
      ["4 May 2026", "2026-05-04", "31.02.2026"],
      ["2026-05-04 → 04.05.2026: 1", "4 May 2026 → 04.05.2026: 1"],
    ],
    ["sheet:type", 4, ["Ja", "0", "perhaps"], ["0 → no: 1", "Ja → yes: 1"]],
    [
      "no:pattern",
      0,
      ["abc 1234", "abc-1234", "ABC-12O4", "A"],
      ["ABC-12O4 → ABC-1204: 1", "abc 1234 → ABC-1234: 1", "abc-1234 → ABC-1234: 1"],
    ],
  ])("for %s", (check, field, values, lines) => expect(said(check, field, ...values)).toEqual(lines));

  it("count the records that have a value, and those that would pass with the other", () => {
    const records = [...held(1, "frnace", "frnace", "Finlnd")];
    // One of them has something else wrong as well.
    records[1] = { ...records[1]!, values: records[1]!.values.map((v, f) => (f === 2 ? "5000" : v)) };
    const [first, second] = suggestMends(compiled, "land:type", records);
    expect(first).toMatchObject({ from: "frnace", to: "France", records: ["1:0", "1:1"], releases: 1 });
    expect(second).toMatchObject({
      from: "Finlnd",
      to: "Finland",
      records: ["1:2"],
      releases: 1,
      because: "one letter away",
    });
  });

  it("are none where no value is wrong, or no check of one field", () => {
    expect(suggestMends(compiled, "land:required", held(1, ""))).toEqual([]);
    expect(suggestMends(compiled, "no:such", held(0, "x"))).toEqual([]);
    expect(suggestMends(compiled, "g:most", held(2, "5000"))).toEqual([]);
  });
});
