import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { compareProfiles } from "@/core/profile/compare.ts";
import type { ColumnProfile } from "@/core/profile/facts.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { planOf, propose } from "@/core/profile/propose.ts";
import { notesOf } from "@/core/profile/notes.ts";
import { roundedLength } from "@/core/profile/propose-type.ts";
import { columnOf, profileOf, proposed } from "../support/profile.ts";

const fitOf = (c: ColumnProfile, type: string): number => c.types.find((t) => t.type === type)?.fits ?? 0;

describe("what a profile counts in each value", () => {
  it("takes only days of the calendar for days, whichever part comes first", async () => {
    const c = await columnOf([
      "2024-02-29",
      "2023-02-29",
      "2023-13-01",
      "2023-00-10",
      "2023-01-00",
      "2023-12-01",
      "2023-01-32",
    ]);
    expect(fitOf(c, "date yyyy-MM-dd")).toBe(2);
    const d = await columnOf(["31.12.2020", "32.12.2020", "00.12.2020", "01.01.2020", "31.04.2020"]);
    expect(fitOf(d, "date dd.MM.yyyy")).toBe(2);
  });

  it("takes a day with a time for a point in time, with a T or a blank, and with nothing else", async () => {
    const c = await columnOf([
      "2024-02-29T10:15:00",
      "2024-02-29 10:15:00",
      "2024-02-29x10:15:00",
      "2024-02-29 noon",
      "2024-02-30T10:15:00",
      "2024-02-29T10:15",
    ]);
    expect(fitOf(c, "timestamp")).toBe(3);
  });

  it("counts numbers with one mark for the part, and none with two", async () => {
    const c = await columnOf(["1.5", "1,5", ".5", ",5", "1,5,5", "1.5.5", "1,5.5", "1.5,5", "+3", "-4", "--4"]);
    expect(c.numbers?.count).toBe(6);
  });

  it("counts two blanks in a row inside a value, and one blank or two apart not", async () => {
    const c = await columnOf(["a  b", "a b", "a b c", "a b  c", "ab"]);
    expect(c.doubled).toBe(2);
    expect(c.loose).toBe(0);
  });

  it("counts blanks at either end", async () => {
    const c = await columnOf([" a", "a ", "a", " a ", "a b"]);
    expect(c.loose).toBe(3);
  });

  it("gives the least and the greatest value by their letters", async () => {
    expect(await columnOf(["m", "z", "b", "k"])).toMatchObject({ least: "b", most: "z" });
  });

  it("gives the lengths of filled values", async () => {
    expect((await columnOf(["a", "abc", "", "ab"])).length).toEqual({ least: 1, most: 3, mean: 2 });
  });
});

describe("kinds of values, however many there are", () => {
  const many = 5000;
  const list = (of: (i: number) => string): string[] => Array.from({ length: many }, (_, i) => of(i));
  const plain = (i: number): string => `note ${i}`;

  it("are counted to the last where values are of them", async () => {
    const kinds = async (of: (i: number) => string) => (await columnOf(list(of))).kinds;
    const hex = (i: number): string => i.toString(16).padStart(12, "0");
    expect(await kinds((i) => `{"a": ${i}}`)).toMatchObject({ json: many, uuids: 0, times: [], written: null });
    expect(await kinds((i) => `f81d4fae-7dec-11d0-a765-${hex(i)}`)).toMatchObject({ uuids: many, json: 0 });
    const clock = (i: number): string =>
      `${String(Math.floor(i / 3600) + 8).padStart(2, "0")}:${String(Math.floor(i / 60) % 60).padStart(2, "0")}:${String(i % 60).padStart(2, "0")}`;
    expect((await kinds(clock))?.times).toEqual([{ word: "HH:mm:ss", count: many }]);
    expect((await kinds((i) => `${i}.50 EUR`))?.written?.point).toBe(many);
    expect((await kinds((i) => `${(i % 28) + 1} March ${1000 + i}`))?.dates?.count).toBe(many);
  });

  it("cost nothing more where hardly a value is of them", async () => {
    const last = (value: (i: number) => string) => list((i) => (i < 4500 ? plain(i) : value(i)));
    expect((await columnOf(last((i) => `{"a": ${i}}`))).kinds).toBeNull();
    expect((await columnOf(last((i) => `${i}.50 EUR`))).kinds).toBeNull();
    // One in two hundred is enough for it to be looked for.
    const some = await columnOf(list((i) => (i % 190 === 0 ? `{"a": ${i}}` : plain(i))));
    expect(some.kinds?.json).toBe(Math.ceil(many / 190));
  });
});

describe("numbers of a column", () => {
  it("have no fences where half of them are one", async () => {
    const alike = await columnOf([...Array<string>(30).fill("5"), "1", "900"]);
    expect(alike.numbers).toMatchObject({ outliers: 0 });
    expect(alike.numbers).not.toHaveProperty("fences");
    const spread = await columnOf([...Array.from({ length: 30 }, (_, i) => String(i + 1)), "900"]);
    expect(spread.numbers?.fences).toHaveLength(2);
    expect(spread.numbers?.outliers).toBe(1);
  });

  it("are as many with very many decimals", async () => {
    const digits = "1".repeat(30);
    expect((await columnOf([`0.${digits}`, `0.${digits}`])).numbers?.mean).toBeCloseTo(1 / 9, 12);
    for (let n = 1; n <= 26; n++) {
      expect((await columnOf([`0.${"3".repeat(n)}`, "1"])).numbers?.least).toBeCloseTo(1 / 3, Math.min(n - 1, 12));
    }
  });
});

describe("codes", () => {
  const isCode = async (values: readonly string[]): Promise<boolean> =>
    (await proposed({ n: values.map((_, i) => `r${i}`), v: values })).plan.contract.fields[1]!.type === "code";
  it("are a few values that come again and again, of twenty at the least", async () => {
    const of = (n: number, words: number): string[] => Array.from({ length: n }, (_, i) => `w${"abcdef"[i % words]}`);
    expect(await isCode(of(20, 2))).toBe(true);
    expect(await isCode(of(19, 2))).toBe(false);
    expect(await isCode(of(24, 3))).toBe(true);
    expect(await isCode(of(23, 3))).toBe(false);
    // Two in a hundred may be others.
    expect(await isCode([...of(98, 2), "x", "y"])).toBe(true);
    expect(await isCode([...of(97, 2), "x", "y", "z"])).toBe(false);
  });
});

describe("a column with a value or none", () => {
  it("has no type that could be judged", async () => {
    const { plan, reasons } = await proposed({ n: ["1", "2"], v: ["", ""] });
    expect(plan.contract.fields[1]!.type).toBe("text");
    expect(reasons.find((r) => r.field === "v" && r.part === "type")!.why).toBe("no value to judge by");
  });

  it("is nearly a key where fewer than one in a hundred comes again", async () => {
    const notes = async (n: number, again: number): Promise<string[]> => {
      const values = Array.from({ length: n }, (_, i) => `r${i < again ? n - 1 : i}`);
      return notesOf(await columnOf(values)).map(({ says }) => says);
    };
    expect(await notes(300, 2)).toContain("nearly a key: 2 repeats");
    expect(await notes(300, 3)).not.toContain("nearly a key: 3 repeats");
    expect((await notes(100, 0))[0]).toBe("could be a key");
  });
});

describe("columns that determine one another", () => {
  it("are told from the one with more values to the one with fewer, and never of a column with itself", async () => {
    const towns = Array.from({ length: 60 }, (_, i) => `town${i % 12}`);
    const states = towns.map((t) => `state${Number(t.slice(4)) % 3}`);
    const other = Array.from({ length: 60 }, (_, i) => `x${(i * 7) % 5}`);
    const { determines } = await profileOf({ town: towns, state: states, other });
    expect(determines).toContainEqual({ column: "town", other: "state" });
    expect(determines).not.toContainEqual({ column: "state", other: "town" });
    for (const { column, other: of } of determines) expect(column).not.toBe(of);
    expect(determines.some((d) => d.column === "other" || d.other === "other")).toBe(false);
  });
});

describe("keys over several columns", () => {
  it("are proposed with their evidence", async () => {
    const rows = Array.from({ length: 40 }, (_, i) => i);
    const profile = await profileOf({
      garden: rows.map((i) => ["BHG", "CWA", "QFS", "SMH"][i % 4]!),
      number: rows.map((i) => Math.floor(i / 4) + 1),
      note: rows.map((i) => `n${i % 3}`),
    });
    expect(profile.keys?.[0]?.columns.toSorted()).toEqual(["garden", "number"]);
    expect(profile.keys?.[0]).toMatchObject({ repeats: 0, empty: 0, records: 40 });
    const { plan, reasons } = propose(profile, { feed: "f", read: { as: "delimited" } as never });
    expect(plan.load.key.toSorted()).toEqual(["garden", "number"]);
    expect(reasons.filter((r) => r.part === "key").every((r) => r.why.includes("no two of"))).toBe(true);
  });
});

describe("a proposal", () => {
  it("takes the order of day and month that more of the dates decide for", async () => {
    const day = ["25.01.2026", "26.02.2026", "03.04.2026", "27.03.2026", "05.06.2026"];
    const month = ["01/25/2026", "02/26/2026", "04/03/2026", "03/27/2026", "06/05/2026"];
    const formats = async (values: readonly string[]): Promise<readonly string[]> =>
      (await proposed({ n: values.map((_, i) => i), v: values })).plan.contract.fields[1]!.formats ?? [];
    expect(await formats(day)).toEqual(["dd.MM.yyyy"]);
    expect(await formats(month)).toEqual(["MM/dd/yyyy"]);
    expect((await formats(["7 Sep 2026", "12 May 2026", "1 Jan 2025"])).length).toBe(1);
    expect(await formats(["2026-01-25", "2026-02-26", "2026-03-01"])).toEqual(["yyyy-MM-dd"]);
  });

  it("takes numbers of eight digits for days where nearly all are days of years that may be meant", async () => {
    const of = async (values: readonly string[]) =>
      (await proposed({ n: values.map((_, i) => i), v: values })).plan.contract.fields[1]!;
    expect(await of(["19870409", "19521231", "20010228", "19990101"])).toMatchObject({
      type: "date",
      formats: ["yyyyMMdd"],
    });
    // A day that begins with 0 is no code.
    expect(await of(["09041987", "31121952", "28022001", "01011999"])).toMatchObject({
      type: "date",
      formats: ["ddMMyyyy"],
    });
    expect((await of(["04091987", "12311952", "02282001", "01011999"])).formats).toEqual(["MMddyyyy"]);
    // Both ways of writing days in one column.
    expect((await of(["19870409", "1952-12-31", "2001-02-28"])).formats?.toSorted()).toEqual([
      "yyyy-MM-dd",
      "yyyyMMdd",
    ]);
    expect((await of(["19870409", "19521232", "20010229", "19991301"])).type).toBe("integer");
    expect((await of(["10870409", "10521231", "10010228"])).type).toBe("integer");
    expect((await of(["1987040", "1952123", "2001022"])).type).toBe("integer");
    expect((await of(["+19870409", "-19521231", "+20010228"])).type).toBe("integer");
  });

  it("knows days that programs put where they know none, and days to come, in eight digits too", async () => {
    const v = ["19870409", "19000101", "99991231", "20991130", "19521231"];
    const c = (await profileOf({ n: v.map((_, i) => i), v }, "2026-05-31")).columns[1]!;
    expect(c.defaultDates?.map((d) => d.value).toSorted()).toEqual(["19000101", "99991231"]);
    expect(c.future).toBe(2);
    const numbers = await columnOf(["19000101", "45718822", "77120913"]);
    expect(numbers).toMatchObject({ defaultDates: [], future: 0, dateOrders: null });
  });

  it("needs nine in ten of the values to fit a type, and not one fewer", async () => {
    const numbers = (words: number): string[] => [
      ...Array.from({ length: 100 - words }, (_, i) => String(i + 1)),
      ...Array.from({ length: words }, (_, i) => `w${i}`),
    ];
    const type = async (values: string[]): Promise<string> =>
      (await proposed({ n: values.map((_, i) => `r${i}`), v: values })).plan.contract.fields[1]!.type;
    expect(await type(numbers(10))).toBe("integer");
    expect(await type(numbers(11))).toBe("text");
  });

  it("says of a text for which type most of it would do, by its share", async () => {
    const values = [
      ...Array.from({ length: 60 }, (_, i) => String(i)),
      ...Array.from({ length: 40 }, (_, i) => `w${i}`),
    ];
    const { reasons } = await proposed({ n: values.map((_, i) => `r${i}`), v: values });
    expect(reasons.find((r) => r.field === "v" && r.part === "type")!.why).toBe(
      "only 60.0 % of the values would do as integer",
    );
    const few = [...Array.from({ length: 40 }, (_, i) => String(i)), ...Array.from({ length: 60 }, (_, i) => `w${i}`)];
    const other = await proposed({ n: few.map((_, i) => `r${i}`), v: few });
    expect(other.reasons.find((r) => r.field === "v" && r.part === "type")!.why).toBe("100 different values");
  });

  it("makes a list of values where there are a few that all come often", async () => {
    const of = async (values: readonly string[]): Promise<readonly string[] | undefined> =>
      (await proposed({ n: values.map((_, i) => `r${i}`), v: values })).plan.contract.fields[1]!.values;
    expect(await of(Array.from({ length: 24 }, (_, i) => ["b", "a", "c"][i % 3]!))).toEqual(["a", "b", "c"]);
    // Too few records for so many values; a value that comes once; and no value that comes twice.
    expect(await of(Array.from({ length: 23 }, (_, i) => ["b", "a", "c"][i % 3]!))).toBeUndefined();
    expect(await of(Array.from({ length: 24 }, (_, i) => `v${i}`))).toBeUndefined();
  });

  it("names the key by what it found", async () => {
    const { plan, reasons } = await proposed({
      code: Array.from({ length: 50 }, (_, i) => `A${i}`),
      kind: Array.from({ length: 50 }, (_, i) => `k${i % 2}`),
    });
    expect(plan.load.key).toEqual(["code"]);
    expect(reasons.find((r) => r.part === "key")!.why).toBe("no two of 50 records have the same");
  });

  it.each([
    [1, 5],
    [4, 5],
    [16, 20],
    [17, 30],
    [80, 100],
    [90, 150],
    [833, 1000],
    [900, 1500],
  ])("gives %i characters room up to %i", (longest, room) => {
    expect(roundedLength(longest)).toBe(room);
  });

  it("never gives less room than is used, and at most as much again and a step", () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 20_000 }), (n) => {
        expect(roundedLength(n)).toBeGreaterThanOrEqual(n);
        expect(roundedLength(n)).toBeLessThanOrEqual(n * 1.2 + 501);
      }),
    );
  });
});

describe("two profiles", () => {
  const rows = (text: string, count = 20): string[] => Array.from({ length: count }, (_, i) => `${text}${i}`);
  const wordsOf = async (a: readonly (string | number)[], b: readonly (string | number)[]): Promise<string> =>
    compareProfiles(await profileOf({ n: a.map((_, i) => i), v: a }), await profileOf({ n: b.map((_, i) => i), v: b }))
      .map((c) => JSON.stringify(c))
      .join("\n");

  it("differ in length only where values are longer by more than a fifth", async () => {
    expect(await wordsOf(rows("abcdefghij"), rows("abcdefghij"))).not.toContain("characters");
    expect(await wordsOf(rows("abcdefghij"), rows("abcdefghijk"))).not.toContain("characters");
    expect(await wordsOf(rows("abcdefghij"), rows("abcdefghijklmnop"))).toContain("characters");
    expect(await wordsOf(rows("abcdefghijklmnop"), rows("abcdefghij"))).not.toContain("characters");
  });

  it("differ in type where four in five values are of another", async () => {
    const mixed = (numbers: number): string[] => [
      ...Array.from({ length: numbers }, (_, i) => String(i + 100)),
      ...Array.from({ length: 100 - numbers }, (_, i) => `w${i + 100}`),
    ];
    expect(await wordsOf(rows("w", 100), mixed(85))).toContain("integer");
    expect(await wordsOf(rows("w", 100), mixed(80))).not.toContain("integer");
  });
});

describe("a proposal takes no values away by itself", () => {
  const of = (v: readonly string[]): Promise<ReturnType<typeof propose>> => proposed({ v });
  const many = (n: number, value: (i: number) => string): string[] => Array.from({ length: n }, (_, i) => value(i));

  it("that may be meant: frequent ones, and words beside other words, are asked about", async () => {
    for (const values of [
      many(100, (i) => (i % 10 < 9 ? "None" : String(i))),
      many(100, (i) => ["None", "Low", "High"][i % 3]!),
    ]) {
      const proposal = await of(values);
      const line = proposal.reasons.find((r) => r.says.includes("mean"))!;
      expect(line).toMatchObject({ ask: true });
      expect(line.why).toMatch(/met \d+ times, in \d+\.\d % of what is filled; that may be a value/);
      expect(planOf(proposal).cleanse.filter((s) => s.do === "empty-words")).toEqual([]);
      expect(planOf(proposal).contract.fields[0]!.required).toBe(true);
    }
    const levels = planOf(await of(many(100, (i) => ["None", "Low", "High"][i % 3]!)));
    expect(levels.contract.fields[0]).toMatchObject({ type: "code", values: ["High", "Low", "None"] });
  });

  it("but a few among numbers are taken for nothing, with their number and share", async () => {
    const proposal = await of(many(100, (i) => (i % 20 === 0 ? "NA" : String(i * 7))));
    const line = proposal.reasons.find((r) => r.says.includes("mean"))!;
    expect(line.ask).toBeUndefined();
    expect(line.why).toBe("met 5 times, in 5.0 % of what is filled");
    expect(planOf(proposal).cleanse).toMatchObject([{ do: "empty-words", words: ["NA"] }]);
  });

  it("nor is a mark a word, beside whatever it stands", async () => {
    const proposal = await of(many(100, (i) => (i % 20 === 0 ? "?" : ["oak", "elm"][i % 2]!)));
    expect(planOf(proposal).cleanse).toMatchObject([{ do: "empty-words", words: ["?"] }]);
    expect(planOf(proposal).contract.fields[0]).toMatchObject({ type: "code", values: ["elm", "oak"] });
  });

  it("and takes no list from what one file has, nor limits from its extremes", async () => {
    const [country] = planOf(await of(many(100, () => "GB"))).contract.fields;
    expect(country).toMatchObject({ type: "text" });
    const { plan } = await proposed({ latitude: many(100, (i) => (48 + i / 10).toFixed(2)) });
    expect(plan.contract.fields[0]).toMatchObject({ least: -90, most: 90 });
  });
});

describe("a file without a record", () => {
  it("has the columns that it names, of which a plan is proposed that is sound", async () => {
    const profile = await profileOf({ Nr: [], Tree: [], "Weight kg": [] });
    expect(profile).toMatchObject({ records: 0, columns: [{ name: "Nr" }, { name: "Tree" }, { name: "Weight kg" }] });
    const { plan } = propose(profile, { feed: "lots", read: { as: "delimited" } as never });
    expect(plan.contract.fields.map((f) => [f.name, f.type, f.required])).toEqual([
      ["nr", "text", undefined],
      ["tree", "text", undefined],
      ["weight_kg", "text", undefined],
    ]);
    expect(parsePlan(JSON.parse(JSON.stringify(plan))).contract.fields).toHaveLength(3);
  });
});
