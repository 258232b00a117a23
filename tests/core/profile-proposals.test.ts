import { describe, expect, it } from "vitest";
import { proposeField } from "@/core/profile/propose.ts";
import { lastingReadOf } from "@/core/profile/lasting-read.ts";
import type { Reason } from "@/core/profile/reason.ts";
import { columnOf, proposed } from "../support/profile.ts";

const fill = <T>(n: number, of: (i: number) => T): T[] => Array.from({ length: n }, (_, i) => of(i));

/** What is proposed of a column of values, and why. */
async function of(values: (string | number)[], name = "v", day?: string) {
  const { field, reasons } = proposeField({ ...(await columnOf(values, day)), name }, new Set());
  const why = (part: Reason["part"]): string =>
    reasons
      .filter((r) => r.part === part)
      .map((r) => r.why)
      .join(" | ");
  const says = (part: Reason["part"]): string =>
    reasons
      .filter((r) => r.part === part)
      .map((r) => r.says)
      .join(" | ");
  return { field, reasons, why, says };
}

describe("numbers as people write them", () => {
  it("with groups of digits: the mark is the one that more of them fit", async () => {
    const german = await of(fill(60, (i) => `${1 + (i % 9)}.${String(100 + i)},${String(10 + (i % 80))}`));
    expect(german.field).toMatchObject({ type: "decimal", scale: 2 });
    expect(german.reasons.find((r) => r.step)?.step).toEqual({ do: "number", decimal: "," });
    const english = await of(fill(60, (i) => `${1 + (i % 9)},${String(100 + i)}.${String(10 + (i % 80))}`));
    expect(english.reasons.find((r) => r.step)?.step).toEqual({ do: "number", decimal: "." });
    expect(english.says("cleanse")).toBe("numbers as people write them");
  });

  it("half with one mark and half with the other are no numbers of either", async () => {
    const both = await of(fill(80, (i) => (i % 2 ? `1 ${200 + i},25` : `1 ${200 + i}.25`)));
    expect(both.field.type).toBe("text");
    const one = await of(fill(80, (i) => `1 ${200 + i},25`));
    expect(one.field).toMatchObject({ type: "decimal", scale: 2 });
    expect(one.why("cleanse")).not.toContain("would do with a point");
  });

  it("without a part are whole numbers, as long as those can be", async () => {
    expect((await of(fill(50, (i) => `${1 + (i % 9)} ${String(100 + i)}`))).field.type).toBe("integer");
    const per = await of(fill(50, (i) => `${i + 1} %`));
    expect(per.why("cleanse")).toContain("50 in per cent, of which the sign is taken away");
  });

  it("that are telephone numbers in groups are none", async () => {
    const phones = await of(fill(60, (i) => `0${String(2011 + i).padStart(4, "0")} ${String(555_000 + i * 37)}`));
    expect(phones.field.type).toBe("text");
  });
});

describe("days whose year has two digits", () => {
  const two = (n: number): string => String(n).padStart(2, "0");
  const day = (i: number): [string, string, string] => [two(1 + ((i * 7) % 28)), two(1 + (i % 12)), two((i * 3) % 100)];

  it.each([
    ["day first", (i: number) => day(i).join(".")],
    ["day first", (i: number) => `${Number(day(i)[0])}/${Number(day(i)[1])}/${day(i)[2]}`],
    ["month first", (i: number) => `${day(i)[1]}/${day(i)[0]}/${day(i)[2]}`],
    ["year first", (i: number) => `${two(60 + (i % 40))}-${day(i)[1]}-${day(i)[0]}`],
    // Some have all four.
    ["day first", (i: number) => (i % 3 ? day(i).join(".") : `${day(i)[0]}.${day(i)[1]}.19${day(i)[2]}`)],
  ])("are read %s, as more of them say", async (order, written) => {
    const found = await of(fill(120, written));
    expect(found.field).toMatchObject({ type: "date", formats: ["yyyy-MM-dd"] });
    expect(found.reasons.find((r) => r.step)?.step).toMatchObject({ do: "written-date", order });
    expect(found.says("cleanse")).toBe(`years of two digits, ${order}`);
    expect(found.why("cleanse")).toMatch(
      /days are written so, such as \S+; \d+ values fit only with the \w+ first; 50 is/,
    );
  });

  it("are to be looked at where they fit two orders alike", async () => {
    const found = await of(fill(60, (i) => `${two(1 + (i % 12))}.${two(1 + ((i * 5) % 12))}.${two(40 + (i % 20))}`));
    expect(found.reasons.find((r) => r.step)?.step).toEqual({ do: "written-date", order: "day first" });
    expect(found.why("cleanse")).toContain(
      "they fit with the day first and with the month first alike, so look at some",
    );
  });

  it("are of the past where more of them lie there than would lie ahead, and else may come", async () => {
    const ofYears = async (...years: number[]) =>
      await of(
        fill(120, (i) => `${day(i)[0]}.${day(i)[1]}.${two(years[i % years.length]!)}`),
        "v",
        "2026-05-31",
      );
    const now = 26;
    const born = await ofYears(45, 61, 72, 83, 99, 4, 12, now);
    expect(born.reasons.find((r) => r.step)?.step).toEqual({ do: "written-date", order: "day first", pivot: now });
    expect(born.why("cleanse")).toContain("15 would lie ahead with 50 as the last year of this century, so it is");
    for (const years of [
      [now, now + 1, now + 2],
      [98, now, now + 1, now + 2],
      [61, 99, now],
    ]) {
      const other = await ofYears(...years);
      expect(other.reasons.find((r) => r.step)?.step, years.join()).toEqual({ do: "written-date", order: "day first" });
      expect(other.why("cleanse")).toContain("50 is taken for the last year of this century");
    }
  });

  it("are none where numbers stand so for another reason", async () => {
    const codes = await of(fill(120, (i) => `${two((i * 37) % 100)}-${two((i * 53) % 100)}-${two((i * 71) % 100)}`));
    expect(codes.field.type).toBe("text");
    const versions = await of(fill(120, (i) => `${1 + (i % 3)}.${i % 20}.${(i * 7) % 30}`));
    expect(versions.field.type).toBe("text");
    const whole = await of(fill(60, (i) => `2026-05-${day(i)[0]}`));
    expect(whole.field).toMatchObject({ type: "date", formats: ["yyyy-MM-dd"] });
    expect(whole.reasons.find((r) => r.step)).toBeUndefined();
  });
});

describe("amounts", () => {
  it("of one currency are of that one, and those without are taken to be in it", async () => {
    const euros = await of(fill(60, (i) => (i % 10 ? `${i},50 EUR` : `${i},50`)));
    expect(euros.field).toMatchObject({ type: "money", currency: "EUR", decimal: "," });
    expect(euros.why("type")).toContain("EUR 54");
    expect(euros.why("type")).toContain("6 name no currency and are taken to be in EUR");
    const all = await of(fill(60, (i) => `${i}.50 EUR`));
    expect(all.field).toMatchObject({ type: "money", currency: "EUR" });
    expect(all.field.decimal).toBeUndefined();
    expect(all.why("type")).not.toContain("name no currency");
  });

  it("of several currencies name each their own, where nearly all do", async () => {
    const two = await of(fill(80, (i) => `${i}.50 ${i % 2 ? "EUR" : "NOK"}`));
    expect(two.field.type).toBe("money");
    expect(two.field.currency).toBeUndefined();
    expect(two.says("type")).toBe("money, each with its currency");
    const few = await of(fill(80, (i) => (i % 4 ? `${i}.50` : `${i}.50 ${i % 8 ? "EUR" : "NOK"}`)));
    expect(few.field.type).not.toBe("money");
  });

  it("with a sign of several currencies are numbers, and it says which they could be", async () => {
    const crowns = await of(fill(60, (i) => `${i}.50 kr`));
    expect(crowns.field.type).toBe("decimal");
    expect(crowns.says("cleanse")).toContain("without kr");
    expect(crowns.why("cleanse")).toMatch(/a sign of \d currencies, such as /);
  });

  it("beside a few numbers alone are no reason to take the currency from all", async () => {
    const rare = await of(fill(100, (i) => (i < 5 ? `${i}.5 EUR` : `x${i}`)));
    expect(rare.field.type).toBe("text");
  });
});

describe("units beside numbers", () => {
  it("are brought to the one that most have, and named", async () => {
    const masses = await of(fill(90, (i) => (i % 3 ? `${i + 1} g` : `${i + 1} kg`)));
    expect(masses.reasons.find((r) => r.step?.do === "unit")?.step).toEqual({ do: "unit", to: "g" });
    expect(masses.why("cleanse")).toContain("g 60, kg 30");
    expect(masses.field).toMatchObject({ type: "decimal", scale: 6 });
    const one = await of(fill(90, (i) => `${i + 1} kg`));
    expect(one.field.type).toBe("integer");
    expect(one.why("cleanse")).not.toContain("name no unit");
    const bare = await of(fill(90, (i) => (i % 9 ? `${i + 1}.5 kg` : `${i + 1}.5`)));
    expect(bare.why("cleanse")).toContain("10 name no unit and are left as they are");
    expect(bare.field).toMatchObject({ type: "decimal", scale: 1 });
  });

  it("of several kinds make no number", async () => {
    expect((await of(fill(90, (i) => (i % 2 ? `${i} kg` : `${i} m`)))).field.type).toBe("text");
  });
});

describe("spaces", () => {
  it("at the ends, values of spaces alone and runs of them each give a step", async () => {
    const step = async (values: string[]): Promise<string> =>
      (await of(values)).reasons
        .filter((r) => /trim|collapse/.test(r.says))
        .map((r) => r.says)
        .join(", ");
    const plain = fill(20, (i) => `v${i}`);
    expect(await step(plain)).toBe("");
    expect(await step([...plain, " x"])).toBe("trim the ends");
    expect(await step([...plain, "   "])).toBe("trim the ends");
    expect(await step([...plain, "a  b"])).toBe("collapse runs of spaces");
  });
});

describe("dates", () => {
  it("whose day and month can't be told apart say so; where some can, they decide", async () => {
    const alike = await of(fill(36, (i) => `${1 + (i % 12)}/${1 + (i % 12)}/2026`));
    expect(alike.why("formats")).toBe(
      "day or month first: the dates fit both alike, so the day is taken to be first; look at some",
    );
    const month = await of(fill(36, (i) => `${1 + (i % 12)}/${i < 8 ? 20 + i : 1 + (i % 12)}/2026`));
    expect(month.why("formats")).toBe("8 dates fit only with the month first");
    const day = await of(fill(36, (i) => `${i < 5 ? 20 + i : 1 + (i % 12)}/${1 + (i % 12)}/2026`));
    expect(day.why("formats")).toBe("5 dates fit only with the day first");
    const iso = await of(fill(36, (i) => `2026-0${1 + (i % 9)}-11`));
    expect(iso.why("formats")).toBe("36 dates are written so");
  });
});

describe("limits", () => {
  it("of a latitude are those of the earth, where all values are within them", async () => {
    const at = async (name: string, values: number[]): Promise<unknown[]> => {
      const { field } = await of(values, name);
      return [field.least, field.most];
    };
    expect(await at("lat", [-90, 0.5, 12.25, 90])).toEqual([-90, 90]);
    expect(await at("longitude", [-120.5, 30.25, 180])).toEqual([-180, 180]);
    expect(await at("lat", [-90.5, 12.25, 20])).toEqual([undefined, undefined]);
    expect(await at("lat", [-10.5, 12.25, 90.5])).toEqual([undefined, undefined]);
    expect(await at("plate", [-10.5, 12.25, 20])).toEqual([undefined, undefined]);
  });

  it("are from nothing on where the values begin there", async () => {
    expect((await of(fill(40, (i) => `${i}.5`))).field.least).toBe(0);
    expect((await of(fill(40, (i) => `${i + 48}.5`))).field.least).toBeUndefined();
    expect((await of(fill(40, (i) => `${i - 3}.5`))).field.least).toBeUndefined();
  });
});

describe("dates with the year first and marks that no format has", () => {
  it.each([
    ["China and Japan", (i: number) => `${1990 + (i % 30)}年${1 + (i % 12)}月${1 + (i % 28)}日`],
    ["Korea", (i: number) => `${1990 + (i % 30)}년 ${1 + (i % 12)}월 ${1 + (i % 28)}일`],
    ["Hungary", (i: number) => `${1990 + (i % 30)}. 0${1 + (i % 9)}. ${10 + (i % 18)}.`],
  ])("are read as in %s", async (_, value) => {
    const { field, reasons } = await of(fill(60, value));
    expect(field).toMatchObject({ type: "date", formats: ["yyyy-MM-dd"] });
    expect(reasons.find((r) => r.step)).toMatchObject({
      says: "dates with the year first",
      why: `60 values are written so, such as ${value(0)}`,
      step: { do: "written-date", order: "year first" },
    });
  });

  it("may have a time behind them, and stand beside months in words", async () => {
    const timed = await of(fill(60, (i) => `202${i % 7}年${1 + (i % 12)}月${1 + (i % 28)}日 1${i % 10}:05`));
    expect(timed.field).toMatchObject({ type: "timestamp" });
    const both = await of(
      fill(60, (i) => (i % 3 === 0 ? "2026. 05. 31." : `2026. ${["március", "május"][i % 2]} ${1 + (i % 28)}.`)),
    );
    expect(both.field).toMatchObject({ type: "date" });
    expect(both.why("cleanse")).toBe(
      "40 values have their month in words; 20 others with the year first, such as 2026. 05. 31.",
    );
  });

  it("are none where no calendar has them", async () => {
    const { field } = await of(fill(60, (i) => `2026年${13 + (i % 12)}月${1 + (i % 28)}日`));
    expect(field.type).toBe("text");
  });
});

describe("signs behind numbers", () => {
  const step = { do: "number", decimal: "." };

  it("mean less than nothing in accounts, where others have none", async () => {
    const accounts = await of(fill(60, (i) => `${100 + i}.${10 + i}${i % 6 === 0 ? "-" : ""}`));
    expect(accounts.field).toMatchObject({ type: "decimal", scale: 2 });
    expect(accounts.reasons.find((r) => r.step)?.step).toEqual(step);
    const grouped = await of(fill(60, (i) => `1.${100 + i},${10 + i}${i % 3 === 0 ? "-" : ""}`));
    expect(grouped.reasons.find((r) => r.step)?.step).toEqual({ do: "number", decimal: "," });
  });

  it.each([
    ["marks of a school", fill(60, (i) => `${1 + (i % 5)}${["", "-", "+"][i % 3]}`)],
    ["sizes", fill(60, (i) => `${30 + (i % 20)}${i % 2 ? "-" : ""}`)],
    ["codes", fill(60, (i) => `${100 + i}.${10 + i}-`)],
  ])("mean nothing of the kind in %s", async (_, values) => {
    const { field, reasons } = await of(values);
    expect(["text", "code"]).toContain(field.type);
    expect(reasons.some((r) => r.step)).toBe(false);
  });
});

describe("powers of ten behind numbers", () => {
  it("are written out", async () => {
    const { field, reasons } = await of(fill(60, (i) => `${1 + (i % 9)}.${10 + i}E-0${1 + (i % 6)}`));
    expect(field).toMatchObject({ type: "decimal", scale: 8 });
    expect(reasons.find((r) => r.step)?.step).toEqual({ do: "number", decimal: "." });
    const comma = await of(fill(60, (i) => (i % 2 ? `${i},5` : `${1 + (i % 9)},5e-3`)));
    expect(comma.reasons.find((r) => r.step)?.step).toEqual({ do: "number", decimal: "," });
    const whole = await of(fill(60, (i) => `${1 + (i % 9)}E+0${1 + (i % 6)}`));
    expect(whole.field.type).toBe("integer");
  });

  it("are none in codes", async () => {
    const { field, reasons } = await of(fill(60, (i) => `${10 + i}E${i % 10}`));
    expect(field.type).toBe("text");
    expect(reasons.some((r) => r.step)).toBe(false);
  });
});

describe("words for nothing", () => {
  it.each([
    "k.A.",
    "keine Angabe",
    "NON RENSEIGNÉ",
    "Sin datos",
    "não informado",
    "n.v.t.",
    "brak danych",
    "uppgift saknas",
    "нет данных",
    "not applicable",
    " unbekannt ",
  ])("are known in several languages: %s", async (word) => {
    const { field, reasons } = await of(fill(60, (i) => (i % 6 === 0 ? word : 100 + i)));
    expect(field).toMatchObject({ type: "integer" });
    expect(field.required).toBeUndefined();
    expect(reasons.find((r) => r.step)?.step).toEqual({ do: "empty-words", words: [word.trim()] });
  });

  it("are no names that only look so", async () => {
    const { field } = await of(fill(60, (i) => ["Brakel", "Unbekannter Ort", "Nils"][i % 3]!));
    expect(field.required).toBe(true);
  });
});

describe("how a delivery of several files is read", () => {
  const csv = { as: "delimited", delimiter: ",", quote: '"', header: true, skip: 0 } as const;
  it("finds out from each what differs and nobody has set", () => {
    expect(lastingReadOf([csv, csv], {})).not.toHaveProperty("of_each");
    expect(lastingReadOf([csv, { ...csv, skip: 2 }], {})).toMatchObject({ of_each: ["skip"] });
    expect(lastingReadOf([csv, { ...csv, skip: 2, header: false }], {}).of_each).toEqual(["skip", "header"]);
    expect(lastingReadOf([csv, { ...csv, skip: 2 }], { skip: 0 })).not.toHaveProperty("of_each");
    expect(lastingReadOf([csv, { as: "xlsx" }], {}).of_each).toEqual(["as"]);
    expect(lastingReadOf([csv, { as: "xlsx" }], { as: "auto" }).of_each).toEqual(["as"]);
  });
});

describe("a key of two columns", () => {
  it("is the one with fewer repeats and fewer gaps", async () => {
    const plan = async (gap: number, repeat: number) =>
      (
        await proposed({
          year: fill(400, (i) => 2000 + (i % 20)),
          lot: fill(400, (i) => (i < gap ? "" : `L${Math.floor(i / 20)}`)),
          run: fill(400, (i) => (i < repeat ? "R0" : `R${Math.floor(i / 20)}`)),
          what: fill(400, (i) => ["seed", "fruit"][i % 2]!),
        })
      ).plan.load.key;
    expect([...(await plan(0, 0))].sort()).toHaveLength(2);
    expect(await plan(2, 0)).toEqual(expect.arrayContaining(["year", "run"]));
    expect(await plan(0, 22)).toEqual(expect.arrayContaining(["year", "lot"]));
  });
});
