import { describe, expect, it } from "vitest";
import { MONTH_LANGUAGES, monthsOf } from "@/core/cleanse/months.ts";
import { planOf as planOfProposal } from "@/core/profile/propose.ts";
import { yesAndNo } from "@/core/type/yes-no.ts";
import { csvRow } from "@/core/write/csv.ts";
import { proposed } from "../support/profile.ts";
import { csv, siftAll } from "../support/sift.ts";

/** What is proposed for a column of values as people write them, and what the plan then makes of each. */

/** The proposal's field and steps for a column, and what becomes of its values; `held` for one that is. */
async function taken(
  values: readonly string[],
  name = "v",
): Promise<{ type: string; steps: string[]; made: string[]; why: string }> {
  const proposal = await proposed({ n: values.map((_, i) => `r${i}`), [name]: values });
  const plan = planOfProposal(proposal);
  const text = ["n", name] as const;
  const rows = values.map((v, i) => csvRow([`r${i}`, v])).join("");
  const { records } = await siftAll({ ...plan, gates: [] }, [csv(csvRow([...text]) + rows)]);
  const field = plan.contract.fields[1]!;
  return {
    type: [field.type, field.currency, field.of].filter(Boolean).join(" "),
    steps: plan.cleanse.map((s) => s.do),
    made: records.map((r) => (r.held ? "held" : r.values[1]!)),
    why: proposal.reasons
      .filter((r) => r.field === field.name)
      .map((r) => r.why)
      .join(" | "),
  };
}

/** Many values made of a few, so that there is something to judge by. */
const often = (values: readonly string[], times = 12): string[] => Array.from({ length: times }, () => values).flat();

describe("numbers as people write them", () => {
  it.each([
    [["1.234,56", "12,50", "7", "1.000.000,00"], "decimal", ["1234.56", "12.50", "7", "1000000.00"]],
    [["1,234.56", "12.5", "7", "1,000,000.25"], "decimal", ["1234.56", "12.5", "7", "1000000.25"]],
    [["1 234,5", "12,5", "-7", "1 000 000,25"], "decimal", ["1234.5", "12.5", "-7", "1000000.25"]],
    [["12,5 %", "7 %", "0,25 %", "100 %"], "decimal", ["12.5", "7", "0.25", "100"]],
    [["(12.50)", "3.00", "1,200.00", "7.10"], "decimal", ["-12.50", "3.00", "1200.00", "7.10"]],
    [["1,200", "300", "12,000", "7"], "integer", ["1200", "300", "12000", "7"]],
    [["1.200", "300", "12.000", "7"], "integer", ["1200", "300", "12000", "7"]],
    [["1.200", "3.000", "12.000", "7.500"], "decimal", ["1.200", "3.000", "12.000", "7.500"]],
    [["0.125", "1.200", "300", "7"], "decimal", ["0.125", "1.200", "300", "7"]],
  ] as const)("%j", async (values, type, made) => {
    const own = await taken(often(values));
    expect([own.type, own.made.slice(0, 4)]).toEqual([type, made]);
  });

  it("of one currency become amounts, and never lose another one's name", async () => {
    const euro = await taken(often(["€ 1,234.50", "€12", "EUR 7.5", "3.00"]));
    expect([euro.type, euro.made.slice(0, 4)]).toEqual(["money EUR", ["1234.50", "12.00", "7.50", "3.00"]]);
    expect(euro.why).toContain("name no currency and are taken to be in EUR");
    const comma = await taken(often(["1.234,50 zł", "12,00 zł", "7,5 zł"]));
    expect([comma.type, comma.made.slice(0, 3)]).toEqual(["money PLN", ["1234.50", "12.00", "7.50"]]);
    const mixed = await taken(often(["12.50 EUR", "7 GBP", "1,200.00 PLN"]));
    expect([mixed.type, mixed.made.slice(0, 3)]).toEqual(["money", ["12.50 EUR", "7.00 GBP", "1200.00 PLN"]]);
    const dollars = await taken(often(["$1,234.56", "$12.00", "$7.25"]));
    expect([dollars.type, dollars.made.slice(0, 3)]).toEqual(["decimal", ["1234.56", "12.00", "7.25"]]);
    expect(dollars.why).toMatch(/a sign of \d+ currencies/);
    // What can't be told apart is left as it came.
    const unclear = await taken(often(["$12.00", "€7.25", "kr 5", "$8.00"]));
    expect([unclear.type, unclear.made.slice(0, 2)]).toEqual(["code", ["$12.00", "€7.25"]]);
  });

  it("with units become one unit; a number that names none stays and is told", async () => {
    const mass = await taken(often(["1.2 kg", "500 g", "3 kg", "12"]));
    expect(mass.steps).toContain("unit");
    expect(mass.made.slice(0, 4)).toEqual(["1.2", "0.5", "3", "12"]);
    expect(mass.why).toContain("name no unit and are left as they are");
    expect((await taken(often(["1 kg", "2 kg", "3 m"]))).type).toBe("code");
  });

  it.each([
    ["telephone numbers", ["612 345 678", "698 765 432", "611 222 333"]],
    ["shelves", ["K12", "K13", "R7"]],
    ["houses", ["12 C", "14 F", "3 K"]],
    ["marks behind numbers", ["495 K", "979 K", "83 K"]],
    ["numbers with a hyphen behind them", ["313-", "49-", "8-"]],
    ["codes that are a currency's", ["ALL001", "ALL002", "TOP003"]],
    ["codes", ["BHG-2026-0001", "BHG-2026-0002", "SMH-2025-0417"]],
    ["numbers with a word that nobody knows", ["12 pods", "3 pods", "40 pods"]],
    ["addresses of machines", ["192.168.1.10", "10.0.0.1", "172.16.0.3"]],
    ["versions", ["1.2.3", "1.10.0", "2.0.1"]],
    ["years of seasons", ["2024/25", "2025/26", "2023/24"]],
  ])("and %s are none", async (_, values) => {
    const own = await taken(Array.from({ length: 40 }, (__, i) => values[i % 3]!.replace(/\d$/, String(i % 10))));
    expect(["text", "code"]).toContain(own.type);
    expect(own.steps).toEqual([]);
  });
});

describe("times of day, UUIDs and JSON", () => {
  it.each([
    [["09:30", "17:45", "23:59"], "time", ["09:30:00.000000", "17:45:00.000000", "23:59:00.000000"]],
    [["9:30", "17:45", "0:05"], "time", ["09:30:00.000000", "17:45:00.000000", "00:05:00.000000"]],
    [["9:30 am", "5:45 PM", "12:00 pm"], "time", ["09:30:00.000000", "17:45:00.000000", "12:00:00.000000"]],
    [["09:30:15", "17:45:00.5", "23:59:59"], "time", ["09:30:15.000000", "17:45:00.500000", "23:59:59.000000"]],
    [["9.30", "17.45", "0.05"], "decimal", ["9.30", "17.45", "0.05"]],
    [["24:00", "25:10", "31:00"], "code", ["24:00", "25:10", "31:00"]],
    [['{"a": 1}', "[1, 2]", "{}"], "json", ['{"a": 1}', "[1, 2]", "{}"]],
  ] as const)("%j", async (values, type, made) => {
    const own = await taken(often(values));
    expect([own.type, own.made.slice(0, 3)]).toEqual([type, made]);
  });

  it("UUIDs in any form", async () => {
    const own = await taken(Array.from({ length: 20 }, (_, i) => `{0190B3A4-7C1E-7D2A-8F3B-5A6C7D8E9F${10 + i}}`));
    expect([own.type, own.made[0]]).toEqual(["uuid", "0190b3a4-7c1e-7d2a-8f3b-5a6c7d8e9f10"]);
  });
});

describe("dates in words", () => {
  it.each(MONTH_LANGUAGES.map((l) => [l]))("%s", async (language) => {
    const format = new Intl.DateTimeFormat(`${language}-u-ca-gregory-nu-latn`, {
      day: "numeric",
      month: "long",
      year: "numeric",
      timeZone: "UTC",
    });
    const days = Array.from({ length: 36 }, (_, i) => Date.UTC(1990 + i, (i * 5) % 12, 1 + ((i * 7) % 28)));
    const own = await taken(days.map((d) => format.format(d)));
    const right = days.map((d) => new Date(d).toISOString().slice(0, 10));
    // What is not read right is not read at all: held, or left as a text.
    const wrong = own.made.filter((m, i) => /^\d{4}-/.test(m) && m !== right[i]);
    expect(wrong).toEqual([]);
    // Basque writes the year with an ending that is no number.
    if (language !== "eu") expect([own.type, own.made.filter((m, i) => m === right[i]).length]).toEqual(["date", 36]);
  });

  it("where two languages would read them otherwise, says so", async () => {
    const own = await taken(often(["4 listopad 2026", "9 listopad 2025", "12 listopad 2024"]));
    expect(own.why).toContain("“listopad” is another month in another language");
  });

  it("names of months are those of their language", () => {
    expect(monthsOf("th").get("มกราคม")).toBe(1);
    expect(monthsOf("fa").get("مه")).toBe(5);
    expect(monthsOf("el").get("μαιου")).toBe(5);
  });
});

describe("words for yes and no", () => {
  it.each([
    [
      ["ja", "nein"],
      ["t", "f"],
    ],
    [
      ["oui", "non"],
      ["t", "f"],
    ],
    [
      ["да", "нет"],
      ["t", "f"],
    ],
    [
      ["evet", "hayır"],
      ["t", "f"],
    ],
    [
      ["はい", "いいえ"],
      ["t", "f"],
    ],
    [
      ["O", "N"],
      ["t", "f"],
    ],
    [
      ["Sim", "Não"],
      ["t", "f"],
    ],
    [
      ["taip", "ne"],
      ["t", "f"],
    ],
    [
      ["vrai", "faux"],
      ["t", "f"],
    ],
  ])("%j", async (values, made) => {
    const own = await taken(often(values));
    expect([own.type, own.made.slice(0, 2)]).toEqual(["boolean", made]);
  });

  it("mean one thing only", () => {
    expect(yesAndNo(["ja", "maybe"])).toBeNull();
    expect(yesAndNo(["ne", "ja"])).toBeNull();
    expect(yesAndNo(["ne"])).not.toBeNull();
    expect(yesAndNo(["jo", "po"])).toMatchObject({ yes: ["po"] });
    // In Albanian “jo” is no; with “n” of another language nobody knows.
    expect(yesAndNo(["jo", "nej"])).toBeNull();
    expect(yesAndNo([])).toBeNull();
    // Two letters are codes, but for those of forms.
    for (const codes of [
      ["a", "n"],
      ["t", "n"],
      ["d", "n"],
      ["e", "h"],
      ["b", "e"],
    ])
      expect(yesAndNo(codes)).toBeNull();
    for (const answers of [
      ["j", "n"],
      ["o", "n"],
      ["s", "n"],
      ["y", "n"],
    ])
      expect(yesAndNo(answers)).not.toBeNull();
  });
});
