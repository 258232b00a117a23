import { describe, expect, it } from "vitest";
import { numbersFrom } from "@/core/kernel/random.ts";
import { compareProfiles } from "@/core/profile/compare.ts";
import { notesOf } from "@/core/profile/notes.ts";
import { fieldName, proposeField } from "@/core/profile/propose.ts";
import { columnOf, profileOf, proposed } from "../support/profile.ts";

const fill = <T>(n: number, of: (i: number) => T): T[] => Array.from({ length: n }, (_, i) => of(i));
const saysOf = async (values: (string | number)[], day?: string): Promise<string[]> => {
  const { columns } = await profileOf({ n: values.map((_, i) => i), v: values }, day);
  return notesOf(columns[1]!).map((n) => n.says);
};

describe("a field’s name", () => {
  it.each([
    ["Accession No.", "accession_no"],
    ["__a__", "a"],
    ["(a)", "a"],
    ["2nd Name", "f_2nd_name"],
    ["???", "field"],
    ["dateCollected", "date_collected"],
    ["Größe", "gro_e"],
    ["it", "it_2"],
  ])("of %s is %s", (column, name) => {
    expect(fieldName(column, new Set())).toBe(name);
  });

  it("is none that is there already", () => {
    expect(fieldName("A b", new Set(["a_b", "a_b_2"]))).toBe("a_b_3");
  });
});

describe("what is proposed, in words", () => {
  const reasonsOf = async (values: (string | number)[]): Promise<string[]> =>
    proposeField(await columnOf(values), new Set()).reasons.map((r) => r.says);

  it("counts the words that mean nothing, each once whatever its capitals", async () => {
    const one = await reasonsOf(fill(100, (i) => (i < 90 ? `x${i}` : "n/a")));
    expect(one).toContain("n/a means empty");
    const two = await reasonsOf(fill(100, (i) => (i < 80 ? `x${i}` : ["n/a", "N/A", "unknown"][i % 3]!)));
    const said = two.find((s) => s.endsWith(" mean empty"))!;
    expect(said.replace(" mean empty", "").toLowerCase().split(", ").sort()).toEqual(["n/a", "unknown"]);
  });

  it("takes digits for whole numbers as long as one can have them", async () => {
    const types = async (digits: number) =>
      proposeField(
        await columnOf(fill(60, (i) => String(10 ** (digits - 1) + i * 7919).padEnd(digits, "0"))),
        new Set(),
      ).field.type;
    expect(await types(9)).toBe("integer");
    const long = fill(60, (i) => `9${String(i * 7919 + 1).padStart(18, "1")}`);
    expect(proposeField(await columnOf(long), new Set()).field.type).not.toBe("integer");
  });

  it("names two columns that together tell records apart, with how many were looked at", async () => {
    const { plan, reasons } = await proposed({
      year: fill(300, (i) => 2000 + (i % 10)),
      lot: fill(300, (i) => `L${Math.floor(i / 10)}`),
      what: fill(300, (i) => ["seed", "fruit"][i % 2]!),
    }).then((p) => ({ plan: p.plan, reasons: JSON.stringify(p) }));
    expect([...plan.load.key].sort()).toEqual(["lot", "year"]);
    expect(reasons).toContain("no two of 300 records have the same");
  });
});

describe("what is told of a column", () => {
  it("is what could be a key, and what nearly is one", async () => {
    expect(await saysOf(fill(200, (i) => `k${i}`))).toContain("could be a key");
    expect(await saysOf(fill(200, (i) => `k${i === 199 ? 0 : i}`))).toContain("nearly a key: 1 repeat");
    const often = await saysOf(fill(200, (i) => `k${i % 190}`));
    expect(often.filter((s) => s.includes("key"))).toEqual([]);
    const few = await saysOf(fill(100, (i) => `k${i === 99 ? 0 : i}`));
    expect(few.filter((s) => s.includes("key"))).toEqual([]);
    // A measure is no key, however different its values are.
    expect((await saysOf(fill(200, (i) => `${i}.25`))).filter((s) => s.includes("key"))).toEqual([]);
  });

  it("is how many days lie in the future, and nothing where none does", async () => {
    const days = fill(40, (i) => `2026-0${1 + (i % 9)}-11`);
    expect((await saysOf(days, "2030-01-01")).filter((s) => s.includes("future"))).toEqual([]);
    expect(await saysOf([...days.slice(1), "2031-05-05"], "2030-01-01")).toContain("1 day in the future");
    expect(await saysOf([...days.slice(2), "2031-05-05", "2032-05-05"], "2030-01-01")).toContain(
      "2 days in the future",
    );
  });
});

describe("two profiles beside each other", () => {
  const noise = numbersFrom(3);
  const around = (mean: number, spread: number, n = 400) => fill(n, () => mean + noise(2 * spread + 1) - spread);
  const changes = async (was: number[], is: number[]): Promise<string[]> => {
    const [before, now] = [await profileOf({ v: was }), await profileOf({ v: is })];
    return [...compareProfiles(before, now)[0]!.changes];
  };

  it("say that a mean has moved where it did by enough to matter, and not by what chance does", async () => {
    const same = around(500, 100);
    expect((await changes(same, around(500, 100))).filter((c) => c.startsWith("mean"))).toEqual([]);
    expect((await changes(same, around(600, 100))).filter((c) => c.startsWith("mean"))).toHaveLength(1);
    expect((await changes(same, around(400, 100))).filter((c) => c.startsWith("mean"))).toHaveLength(1);
    // Far more than the error of so many, and a tenth of what values differ by anyway.
    expect(
      (await changes(around(500, 100, 20_000), around(506, 100, 20_000))).filter((c) => c.startsWith("mean")),
    ).toEqual([]);
    // A few values can be anywhere.
    expect((await changes([480, 520, 500, 400], [560, 640, 420, 500])).filter((c) => c.startsWith("mean"))).toEqual([]);
  });

  it("say which columns are new and which are gone", async () => {
    const [before, now] = [await profileOf({ a: [1], b: [2] }), await profileOf({ b: [2], c: [3] })];
    expect(compareProfiles(before, now).map((c) => [c.column, c.kind])).toEqual([
      ["b", "changed"],
      ["c", "new"],
      ["a", "gone"],
    ]);
  });
});
