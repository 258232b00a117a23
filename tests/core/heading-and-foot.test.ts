import { describe, expect, it } from "vitest";
import { footDoubt } from "@/core/read/total.ts";
import { doubtWords } from "@/core/read/doubt.ts";
import { read } from "../support/formats.ts";
import { random } from "../support/random.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll } from "../support/sift.ts";
import { workbook } from "../../demo/workbook.ts";

/** Lines with units and types below the heading, and notes below the last record. */

const seen = async (text: string): Promise<{ records: number; first: string; asked: string[] }> => {
  const { records, doubts } = await read("f.csv", text, { delimiter: "," });
  return { records: records.length, first: Object.values(records[0]!).join(), asked: doubts.map((d) => d.setting) };
};

const ROWS = ["SMH-1,12.5,2026-05-31,wild", "SMH-2,11,2026-06-01,crop", "SMH-3,9.75,2026-06-02,wild"].join("\n");

describe("lines below the heading", () => {
  it.each([
    ["units in brackets", ",(g),(yyyy-mm-dd),"],
    ["units", "-,g,-,-"],
    ["types", "text,decimal(9,2),date,text".replace("(9,2)", "")],
    ["types of a database", "varchar(10),numeric,date,string"],
    ["per cent and formats", ",%,dd.mm.yyyy,"],
    ["units of units", ",kg/m³,,"],
  ])("%s are no record", async (_, units) => {
    expect(await seen(`no,mass,sown,kind\n${units}\n${ROWS}\n`)).toEqual({
      records: 3,
      first: "SMH-1,12.5,2026-05-31,wild",
      asked: [],
    });
  });

  it("units and types, one line each", async () => {
    expect((await seen(`no,mass,sown,kind\n,g,,\ntext,number,date,text\n${ROWS}\n`)).records).toBe(3);
  });

  it("are asked about where nothing below tells", async () => {
    const words = "site,what\n-,kg\nFen,oak\nCray,elm\nQuill,ash\n";
    const { records, asked } = await seen(words);
    expect([records, asked]).toEqual([3, ["below"]]);
  });

  it.each([
    ["a column of units", "no,unit\n1,g\n2,kg\n3,g\n", 3],
    ["a unit that comes again", "unit,kind\ng,mass\nkg,mass\ng,mass\n", 3],
    ["answers", "a,b,c\nn,y,n\ny,n,n\nn,n,y\n", 3],
    ["a record of words", "name,town\nAnna,Fen\nBert,Cray\nCarla,Quill\n", 3],
    ["letters", "id\na\nb\nc\n", 3],
    ["letters of some columns", "id,kind\na,m\nb,f\nc,m\n", 3],
    ["numbers", "a,b\n1,2\n3,4\n5,6\n", 3],
  ])("and %s are records", async (_, text, records) => {
    const own = await seen(text);
    expect([own.records, own.asked.includes("below")]).toEqual([records, false]);
  });

  it("are never taken from tables of records, whatever these have", async () => {
    const next = random(11);
    const pick = (list: readonly string[]): string => list[Math.floor(next() * list.length)]!;
    const make: (() => string)[] = [
      () => String(Math.floor(next() * 1000)),
      () => (next() * 10).toFixed(2),
      () => pick(["g", "kg", "mm", "l", "t", "d"]),
      () => pick(["date", "text", "number", "time"]),
      () => pick(["Fen", "Cray", "Quill", "Ness"]),
      () => `BHG-${Math.floor(next() * 900) + 100}`,
      () => pick(["", "", "x"]),
      () => pick(["-", "-", "n/a", "12"]),
      () => pick(["m", "f", "d"]),
    ];
    let silent = 0;
    for (let i = 0; i < 800; i++) {
      const kinds = Array.from({ length: 1 + Math.floor(next() * 5) }, () => make[Math.floor(next() * make.length)]!);
      const rows = Array.from({ length: 2 + Math.floor(next() * 20) }, () => kinds.map((k) => k()).join(","));
      if (rows.some((r) => r.replaceAll(",", "") === "")) continue;
      const { records, asked } = await seen(`${kinds.map((_, c) => `col_${c}`).join(",")}\n${rows.join("\n")}\n`);
      if (records !== rows.length && asked.length === 0) silent++;
    }
    expect(silent).toBe(0);
  });

  it("stand in workbooks as well, and can be set", async () => {
    const book = workbook([
      {
        name: "Seeds",
        rows: [
          ["no", "mass"],
          ["", "g"],
          ["SMH-1", 12.5],
          ["SMH-2", 7],
        ],
      },
    ]);
    const { records: rows } = await read("f.xlsx", book);
    expect(rows.map((r) => Object.values(r).join())).toEqual(["SMH-1,12.5", "SMH-2,7"]);
    // What is said is kept, also where it is that there are none: a load reads by it.
    expect((await read("f.csv", "site,what\n-,kg\nFen,oak\nCray,elm\n", { below: 0 })).options).toMatchObject({
      below: 0,
    });
    expect((await read("f.xlsx", book, { below: 0 })).options).toMatchObject({ below: 0 });
    const plan = planOf(
      [
        { name: "no", type: "text" },
        { name: "mass", type: "text" },
      ],
      {
        read: { as: "delimited", delimiter: ",", header: true, skip: 0, below: 0 },
      },
    );
    expect((await siftAll(plan, [csv("no,mass\n-,g\nSMH-1,12\nSMH-2,13\n")])).records.length).toBe(3);
    const two = { ...plan, read: { ...plan.read, below: 2 } };
    const { records } = await siftAll(two, [csv("no,mass\nx,y\n-,g\nSMH-1,12\n")]);
    expect(records.map((r) => [r.line, r.values[0]])).toEqual([[4, "SMH-1"]]);
  });
});

describe("the last line", () => {
  it.each([
    [["Total", "", "40"], 3, "a sum of those above it"],
    [["Source: office of the vault, in May", "", ""], 3, "a note"],
    [["* estimated by eye", "", "", ""], 4, "a note"],
  ])("%j may be %s", (cells, usual, says) => {
    expect(doubtWords(footDoubt(cells, usual)!)).toContain(says);
  });

  it.each([
    [["SMH-3", "", ""], 3],
    [["Fen", "oak wood", ""], 3],
    [["a note of some words", ""], 2],
    [["a note of some words", "", ""], 1],
    [["2026-05-31", "", ""], 3],
    [["Total", "oak", "12"], 3],
  ])("%j is a record", (cells, usual) => expect(footDoubt(cells, usual)).toBeNull());

  it("stops a load where it would be loaded, and not where it is held", async () => {
    const fields = [
      { name: "no", type: "text" },
      { name: "mass", type: "text" },
      { name: "kind", type: "text" },
    ];
    const text = "no,mass,kind\nSMH-1,12,wild\nSMH-2,13,crop\nMeasured in the shed,,\n";
    const { report } = await siftAll(planOf(fields), [csv(text)]);
    expect(report.files[0]!.doubts!.map((d) => d.setting)).toEqual(["skip_end"]);
    const held = await siftAll(planOf([...fields.slice(0, 2), { ...fields[2]!, required: true }]), [csv(text)]);
    expect(held.report.files[0]!.doubts).toBeUndefined();
  });
});
