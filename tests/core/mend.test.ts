import { describe, expect, it } from "vitest";
import { isKnown } from "@/core/mend/known.ts";
import { suggestMends } from "@/core/mend/suggest.ts";
import { compilePlan } from "@/core/course/compile.ts";
import { recheck } from "@/core/course/recheck.ts";
import { planOf } from "../support/plans.ts";
import { random } from "../support/random.ts";

const compiled = compilePlan(
  planOf(
    [
      { name: "no", type: "text", pattern: "^[A-Z]{3}-\\d{4}$" },
      { name: "land", type: "code", values: ["France", "Finland", "Norway", "GB", "GE"] },
      { name: "g", type: "decimal", precision: 9, scale: 2, most: 1000 },
      { name: "on_day", type: "date", formats: ["dd.MM.yyyy"] },
      { name: "sheet", type: "boolean", words: { yes: ["yes"], no: ["no"] } },
      { name: "n", type: "decimal", precision: 12, scale: 3 },
    ],
    { check: [{ name: "short", that: "size(it) < 9", in: ["no"] }] },
  ),
);
const SOUND = ["ABC-1234", "France", "1.5", "03.04.2026", "yes", "7"];

/** Records that differ from a sound one in one field. */
function held(field: number, ...values: string[]) {
  return values.map((value, i) => {
    const own = SOUND.map((v, f) => (f === field ? value : v));
    return { id: `1:${i}`, load: 1, values: own, problems: recheck(compiled, own).problems };
  });
}
const said = (check: string, field: number, ...values: string[]) =>
  suggestMends(compiled, check, held(field, ...values)).map(
    (m) => `${m.sets[0].from} → ${m.sets[0].to}: ${m.releases}`,
  );

describe("mends that could be meant", () => {
  it.each<[string, number, string[], string[]]>([
    ["land:type", 1, ["frnace", "NORWAY", "Atlantis"], ["NORWAY → Norway: 1", "frnace → France: 1"]],
    // Both GB and GE are one letter away.
    ["land:type", 1, ["GX"], []],
    // Two letters of a word of six or more that are lost or out of place; letters that stand for others make another word.
    [
      "land:type",
      1,
      ["Frenze", "Farnce", "Frnac", "Norwya", "Noraly", "Frunko"],
      ["Farnce → France: 1", "Frnac → France: 1", "Norwya → Norway: 1"],
    ],
    ["land:type", 1, ["G"], []],
    ["g:type", 2, ["1,25", "12.5 g", "about"], ["1,25 → 1.25: 1", "12.5 g → 12.5: 1"]],
    ["n:type", 5, ["$ 5", "7 USD", "12"], ["$ 5 → 5: 1", "7 USD → 7: 1"]],
    // As it would be read where it stands alone; else what its load says, or nothing.
    ["n:type", 5, ["ca. 1.234"], ["ca. 1.234 → 1.234: 1"]],
    ["n:type", 5, ["1,234"], []],
    ["n:type", 5, ["1,234", "1,5"], ["1,234 → 1.234: 1", "1,5 → 1.5: 1"]],
    ["n:type", 5, ["1,234", "1,234.5"], ["1,234 → 1234: 1", "1,234.5 → 1234.5: 1"]],
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
    expect(first).toMatchObject({ sets: [{ from: "frnace", to: "France" }], records: ["1:0", "1:1"], releases: 1 });
    expect(second).toMatchObject({
      sets: [{ from: "Finlnd", to: "Finland" }],
      records: ["1:2"],
      releases: 1,
      because: "one letter away",
    });
  });

  it.each<[string, number, string[]]>([
    ["g:type", 2, ["3 dozen", "5-10", "< 5", "> 5", "5 / 10", "5 or 6", "no 12", "12 not weighed", "1.2.3", "12:30"]],
    ["g:type", 2, ["12a", "5x", "€ 5", "$ 7"]],
    ["g:type", 2, ["5 + 3", "twelve", "12 May 2019", "about", "n/a", "40?", "2 x 5"]],
    // Two units where the field has none: which of them is its own?
    ["g:type", 2, ["40 g", "3 kg"]],
    ["on_day:type", 3, ["before 3 May 2019", "12-13 May 2019", "May 2019", "2019", "Q3 2019", "3 or 4 May 2019"]],
    // Either may be the day, and no other value of the load says which.
    ["on_day:type", 3, ["03/04/2026", "05/06/2026"]],
    ["sheet:type", 4, ["perhaps", "2", "see below"]],
    ["no:pattern", 0, ["unknown", "ABC-123", "AB-1234"]],
  ])("are none of what nobody can tell: %s", (check, field, values) =>
    expect(said(check, field, ...values)).toEqual([]),
  );

  it("take the order of day and month from other days of the load, where those agree", () => {
    const days = ["03/04/2026", "25/06/2026"];
    expect(said("on_day:type", 3, ...days)).toEqual(["03/04/2026 → 03.04.2026: 1", "25/06/2026 → 25.06.2026: 1"]);
    expect(said("on_day:type", 3, "03/04/2026", "06/25/2026")).toContain("03/04/2026 → 04.03.2026: 1");
    expect(said("on_day:type", 3, ...days, "06/25/2026")).not.toContain("03/04/2026 → 03.04.2026: 1");
    const [other, own] = [held(3, "03/04/2026"), held(3, "25/06/2026")];
    const records = [{ ...other[0]!, load: 2 }, own[0]!];
    expect(suggestMends(compiled, "on_day:type", records).map((m) => m.sets[0].from)).toEqual(["25/06/2026"]);
  });

  it("are the number in the field's own unit, where its name or title says that", () => {
    const plan = (field: object) =>
      compilePlan(planOf([{ name: "weight", type: "decimal", precision: 12, scale: 6, ...field }]));
    const to = (field: object, value: string) => {
      const of = plan(field);
      const problems = recheck(of, [value]).problems;
      return suggestMends(of, `${of.fields[0]!.name}:type`, [{ id: "1:1", load: 1, values: [value], problems }])[0]
        ?.sets[0].to;
    };
    expect(to({ name: "weight_g" }, "1.25 kg")).toBe("1250");
    expect(to({ name: "weight_g" }, "40 mg")).toBe("0.04");
    expect(to({ title: "Weight (kg)" }, "ca. 40 g")).toBe("0.04");
    expect(to({ title: "Weight in kg" }, "2,5 kg")).toBe("2.5");
    expect(to({ name: "weight_g" }, "3 m")).toBeUndefined();
    expect(to({ name: "weight_g" }, "3 lb")).toBeUndefined();
    expect(to({}, "3 lb")).toBe("3");
  });

  it("of free words are no way to make them shorter", () => {
    const plan = compilePlan(planOf([{ name: "name", type: "text", length: 10 }]));
    const values = ["Erica ciner."];
    const problems = recheck(plan, values).problems;
    expect(problems).toHaveLength(1);
    expect(suggestMends(plan, problems[0]!.check, [{ id: "1:1", load: 1, values, problems }])).toEqual([]);
  });

  it("are what stood there before it was read in another encoding", () => {
    const plan = compilePlan(planOf([{ name: "place", type: "code", values: ["Île-aux-Oiseaux", "Água", "Łódź"] }]));
    const to = (value: string) =>
      suggestMends(plan, "place:type", [
        { id: "1:1", load: 1, values: [value], problems: recheck(plan, [value]).problems },
      ])[0]?.sets[0].to;
    expect(to("ÃŽle-aux-Oiseaux")).toBe("Île-aux-Oiseaux");
    expect(to("Å\u0081Ã³dÅº")).toBe("Łódź");
    expect(to("Ã\u0081gua")).toBe("Água");
    expect(to("Ã gua")).toBe("Água");
  });

  it("are an exchange where two values are wrong and each is right in the other's place", () => {
    const values = [SOUND[0]!, "1.5", "France", ...SOUND.slice(3)];
    const record = { id: "1:1", load: 1, values, problems: recheck(compiled, values).problems };
    for (const check of ["land:type", "g:type"]) {
      const [mend, ...others] = suggestMends(compiled, check, [record]);
      expect(others).toEqual([]);
      expect(mend!.sets.map(({ field, to }) => `${field} ${to}`).sort()).toEqual(["g 1.5", "land France"]);
      expect(mend).toMatchObject({ records: ["1:1"], releases: 1 });
    }
    // What stands in the other's place must be wrong there.
    const one = [SOUND[0]!, "yes", ...SOUND.slice(2)];
    const alone = { id: "1:1", load: 1, values: one, problems: recheck(compiled, one).problems };
    expect(suggestMends(compiled, "land:type", [alone])).toEqual([]);
  });

  it("are what rows of the target have where another field is the same", () => {
    const known = [
      { by: "no", value: "ABC-1234", gives: "Norway", rows: 12 },
      { by: "no", value: "XYZ-1", gives: "Finland", rows: 12 },
    ];
    const plan = compilePlan(
      planOf([
        { name: "no", type: "text" },
        { name: "site", type: "text" },
        { name: "land", type: "code", values: ["France", "Finland", "Norway"], required: true },
      ]),
    );
    const record = (no: string, land: string, site = "") => {
      const values = [no, site, land];
      return { id: no + land, load: 1, values, problems: recheck(plan, values).problems };
    };
    const said = (check: string, records: ReturnType<typeof record>[], more = known) =>
      suggestMends(plan, check, records, { known: more }).map(
        (m) => `${m.sets[0].from} → ${m.sets[0].to}: ${m.because}`,
      );
    const because = "so in all 12 rows with the same no that were looked at in the target";
    expect(said("land:required", [record("ABC-1234", ""), record("other", "")])).toEqual([` → Norway: ${because}`]);
    expect(said("land:type", [record("XYZ-1", "ZZ")])).toEqual([`ZZ → Finland: ${because}`]);
    // Its own value says more; two that contradict one another say nothing.
    expect(said("land:type", [record("ABC-1234", "FRANCE!")])[0]).toMatch(/^FRANCE! → France: the same/);
    const both = [...known, { by: "site", value: "Fell", gives: "France", rows: 9 }];
    expect(said("land:required", [record("ABC-1234", "", "Fell")], both)).toEqual([]);
  });

  it("are known only where rows are many beside those of chance, and nearly all values have one", () => {
    const of = { value: "a", gives: "b", rows: 5, share: 0.2, determined: 1 };
    expect(isKnown(of)).toBe(true);
    expect(isKnown({ ...of, rows: 2, share: 0.001 })).toBe(false);
    expect(isKnown({ ...of, share: 0.9 })).toBe(false);
    expect(isKnown({ ...of, share: 1, rows: 90_000 })).toBe(false);
    expect(isKnown({ ...of, determined: 0.9 })).toBe(false);
  });

  it("are none where no value is wrong, or no check of one field", () => {
    expect(suggestMends(compiled, "land:required", held(1, ""))).toEqual([]);
    expect(suggestMends(compiled, "no:such", held(0, "x"))).toEqual([]);
    expect(suggestMends(compiled, "g:most", held(2, "5000"))).toEqual([]);
  });
});

/** A text with so many slips, each a letter that is lost, doubled, changed, or changes its place with the next. */
function withSlips(text: string, slips: number, draw: (below: number) => number): string {
  let out = text;
  for (let i = 0; i < slips; i++) {
    const at = 1 + draw(out.length - 2);
    const kind = draw(4);
    const letter = out[draw(out.length)]!;
    if (kind === 0) out = out.slice(0, at) + out.slice(at + 1);
    else if (kind === 1) out = out.slice(0, at) + out[at]! + out.slice(at);
    else if (kind === 2) out = out.slice(0, at) + letter + out.slice(at + 1);
    else out = out.slice(0, at) + out[at + 1]! + out[at]! + out.slice(at + 2);
  }
  return out;
}

describe("an allowed value is proposed for a slip, and not for another word", () => {
  const ISO =
    "AT AU BE BG BR CA CH CL CN CO CY CZ DE DK DZ EE EG ES FI FR GB GR HR HU IE IN IQ IR IS IT JP KE KR LI LK LT LU LV LY MA MK ML MT MX MY NE NG NL NO NP NZ OM PE PL PT PY RO RS RU SA SE SI SK SY TH TN TR UA UY VE VN ZA";
  const LOCALES = ["en", "de", "fr", "es", "pl", "fi", "el", "ru"];

  it("of the names of lands, in eight languages", () => {
    const count = { others: 0, taken: 0, slips: 0, right: 0, wrong: 0 };
    for (const [seed, locale] of [1, 2, 3, 4].flatMap((n) => LOCALES.map((l) => [n, l] as const))) {
      const names = new Intl.DisplayNames(locale, { type: "region" });
      const all = ISO.split(" ").map((code) => names.of(code)!);
      const next = random(locale.charCodeAt(0) * seed + locale.charCodeAt(1), 20);
      const draw = (below: number): number => Math.floor(next() * below);
      const allowed = all.filter(() => draw(2) === 0);
      const plan = compilePlan(planOf([{ name: "land", type: "code", values: allowed }]));
      const to = (value: string): string | undefined => {
        const one = [{ id: "1:1", load: 1, values: [value], problems: recheck(plan, [value]).problems }];
        return suggestMends(plan, "land:type", one)[0]?.sets[0].to;
      };
      // Words that are as true as the allowed ones.
      for (const name of all.filter((n) => !allowed.includes(n))) {
        count.others++;
        if (to(name) !== undefined) count.taken++;
      }
      for (let i = 0; i < 200; i++) {
        const meant = allowed[draw(allowed.length)]!;
        const slip = withSlips(meant, 1, draw);
        if (meant.length < 6 || all.includes(slip)) continue;
        count.slips++;
        const said = to(slip);
        if (said === meant) count.right++;
        else if (said !== undefined) count.wrong++;
      }
    }
    expect(count.taken / count.others).toBeLessThan(0.01);
    expect(count.wrong / count.slips).toBeLessThan(0.01);
    expect(count.right / count.slips).toBeGreaterThan(0.7);
  });

  it("of phrases that differ in one word, which is another word and no slip", () => {
    const values = ["Based on Book", "Based on TV", "Based on Film", "Original screenplay"];
    const plan = compilePlan(planOf([{ name: "source", type: "code", values }]));
    const to = (value: string): string | undefined => {
      const one = [{ id: "1:1", load: 1, values: [value], problems: recheck(plan, [value]).problems }];
      return suggestMends(plan, "source:type", one)[0]?.sets[0].to;
    };
    for (const word of ["Based on Toy", "Based on Game", "Based on Play", "Based on Boot", "Based on Firm"]) {
      expect([word, to(word)]).toEqual([word, undefined]);
    }
    expect(to("Orignal screenplay")).toBe("Original screenplay");
    expect(to("original  Screenplay!")).toBe("Original screenplay");
  });
});
