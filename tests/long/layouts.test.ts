import { describe, expect, it } from "vitest";
import { memoryFile, read, readParts, type ReadPart } from "../support/formats.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { lastingReadOf } from "@/core/profile/lasting-read.ts";
import type { ReadOptions, ReadSettings } from "@/core/read/settings.ts";
import { random } from "../support/random.ts";
import { siftAll } from "../support/sift.ts";
import { workbook } from "../../demo/workbook.ts";

const TREES = ["1,oak,12.5", "2,elm,11", "3,ash,9.5"];
const table = (head: string, rows: readonly string[] = TREES): string => `${[head, ...rows].join("\n")}\n`;

/** What the columns are called, how many records there are, and whether that is asked about. */
const seen = (part: ReadPart): object => ({
  columns: part.columns,
  records: part.records.length,
  asked: part.doubts.some((d) => d.setting === "header"),
});

describe("the line that names the columns is found", () => {
  const three = { records: 3, asked: false };
  it.each([
    ["one column with a name in small letters", "name\nAnna\nBert\nCarla\n", { columns: ["name"], ...three }],
    ["one column of numbers", "id\n1\n2\n3\n", { columns: ["id"], ...three }],
    ["one column of people", "collector\nAnna Berg\nBert Lind\nCarla Olm\n", { columns: ["collector"], ...three }],
    ["numbers under words", table("No.,Baum,Umfang"), { columns: ["No.", "Baum", "Umfang"], ...three }],
    [
      "a name twice and one that is empty",
      table("id,name,name,", ["1,a,b,c", "2,d,e,f", "3,g,h,i"]),
      { columns: ["id", "name", "name (2)", "column 4"], ...three },
    ],
    ["a heading behind a hash", table("#id,tree,mass"), { columns: ["id", "tree", "mass"], ...three }],
    [
      "comments above",
      `# from the office\n# in May\n${table("id,tree,mass")}`,
      { columns: ["id", "tree", "mass"], ...three },
    ],
    [
      "titles above",
      `Trees of Ashmere\nmeasured in May\n\n${table("id,tree,mass")}`,
      { columns: ["id", "tree", "mass"], ...three },
    ],
    [
      "titles as wide as the table",
      `Trees,,\nOffice:,Ashmere,2026\n${table("id,tree,mass")}`,
      { columns: ["id", "tree", "mass"], ...three },
    ],
    [
      "years as names",
      "site,2024,2025,2026\nFen,3,4,5\nCray,2,2,2\nQuill,1,0,7\n",
      { columns: ["site", "2024", "2025", "2026"], ...three },
    ],
    [
      "capitals",
      "ACCNO,SPECIES\n00012,Quercus robur\n00013,Ulmus glabra\n00014,Acer rubrum\n",
      { columns: ["ACCNO", "SPECIES"], ...three },
    ],
    [
      "names of an address book",
      "Name,Street,Town\nAnna Berg,12 High Street,Ashmere\nBert Lind,4 Mill Lane,Quill\nCarla Olm,9 Fen Road,Fen\n",
      { columns: ["Name", "Street", "Town"], ...three },
    ],
    ["Russian names", "Имя;Город\nАнна;Тула\nПётр;Псков\nОльга;Тверь\n", { columns: ["Имя", "Город"], ...three }],
    ["a heading alone", "id,name\n", { columns: ["id", "name"], records: 0, asked: false }],
  ])("%s", async (_, text, expected) => {
    expect(seen(await read("a.csv", text))).toEqual(expected);
  });

  it.each([
    [
      "an address list",
      "Anna Berg,12 High Street,Ashmere\nBert Lind,4 Mill Lane,Quill\nCarla Olm,9 Fen Road,Brindle\n",
    ],
    ["the number after the street", "Anna,Berg,High Street 12\nBert,Lind,Mill Lane 4\nCarla,Olm,Fen Road 9\n"],
    ["codes", "A-001,oak,12.5\nA-002,elm,11\nA-003,ash,9\n"],
    ["days", "2026-01-01,Fen,3\n2026-01-02,Cray,4\n2026-01-03,Fen,4\n"],
    ["values that come again", "red,small\nred,large\nblue,small\n"],
    ["mail addresses", "anna@ashmere.example,Fen\nbert@ashmere.example,Cray\ncarla@ashmere.example,Quill\n"],
  ])("there is none: %s", async (_, text) => {
    const part = await read("a.csv", text);
    expect(part.records).toHaveLength(3);
    expect(part.columns[0]).toBe("1");
    expect(part.doubts).toEqual([]);
  });

  it.each([
    ["words over words", "Sammler,Fundort\nAnna,Brindle\nBert,Quill\nCarla,Cray\n"],
    ["names alone", "Anna,Brindle\nBert,Quill\nCarla,Cray\nDora,Fen\n"],
    ["one column of words", "Anna\nBert\nCarla\n"],
  ])("it is asked where nothing tells: %s", async (_, text) => {
    const part = await read("a.csv", text);
    const [doubt] = part.doubts;
    expect(doubt).toMatchObject({ setting: "header", readings: [{ value: true }, { value: false }] });
    expect(doubt!.readings[0]!.shows).toContain(text.split(/[,\n]/)[0]);
    for (const header of [true, false]) {
      const said = await read("a.csv", text, { header });
      expect(said.doubts).toEqual([]);
      expect(said.records).toHaveLength(text.trim().split("\n").length - (header ? 1 : 0));
    }
  });

  it("in workbooks below titles, notes and merged headings, and never takes a record for a title", async () => {
    const sheet = (...rows: (string | number | null)[][]): Uint8Array => workbook([{ name: "S", rows }]);
    const trees = [
      [1, "oak", 3],
      [2, "elm", 4],
      [3, "ash", 5],
    ];
    const title = await read(
      "a.xlsx",
      sheet(
        ["Seeds received", null, null],
        ["by the vault", null, null],
        ["Office:", "Ashmere", "2026"],
        [],
        ["id", "name", "mass"],
        ...trees,
      ),
    );
    expect(seen(title)).toEqual({ columns: ["id", "name", "mass"], records: 3, asked: false });
    const merged = await read("a.xlsx", sheet(["Seed", null, "Mass"], ["id", "name", "gram"], ...trees));
    expect(seen(merged)).toEqual({ columns: ["id", "name", "gram"], records: 3, asked: false });
    const none = await read("a.xlsx", sheet(...trees));
    expect(none.records).toHaveLength(3);
    const long = await read("a.xlsx", sheet(["id", "name", "mass"], ...trees, ["id", "name", "mass"], ...trees));
    expect(long.records).toHaveLength(7);
  });
});

describe("tables of any columns", () => {
  const towns = ["Ashmere", "Brindle", "Cray", "Fen", "Quill", "Upper Mill"];
  const words = ["kept dry", "shared", "no seed", "Sent on", "from the Hill", "see sheet"];
  const names = ["Ivo", "Mel", "Zoe", "Ann", "Tomas", "Una"];
  type Column = { name: string; value: (roll: () => number) => string };
  const pick = <T>(roll: () => number, list: readonly T[]): T => list[Math.floor(roll() * list.length)]!;
  const kinds: ((roll: () => number) => string)[] = [
    (roll) => String(Math.floor(roll() * 900)),
    (roll) => (roll() * 90).toFixed(2),
    (roll) => `2026-0${1 + Math.floor(roll() * 9)}-1${Math.floor(roll() * 9)}`,
    (roll) => `K-${Math.floor(roll() * 9000)}`,
    (roll) => pick(roll, towns),
    (roll) => pick(roll, words),
    (roll) => `${pick(roll, names)} ${pick(roll, names)}sen`,
    (roll) => (roll() < 0.5 ? "" : String(Math.floor(roll() * 9))),
    (roll) => `${Math.floor(roll() * 90)} ${pick(roll, towns)} Road`,
  ];
  const heads = [
    "Zwirn",
    "gondar",
    "Pelle",
    "uvA",
    "Mass (g)",
    "Feld 2",
    "TRU",
    "ort",
    "Wann",
    "Q1",
    "oppland_id",
    "Note",
  ];
  const quoted = (cells: string[]): string => cells.map((c) => (c.includes(",") ? `"${c}"` : c)).join(",");

  interface Made {
    readonly rows: string[][];
    readonly lines: string[][];
  }

  /** Tables with or without a heading; `least`: columns of them at least that have numbers, days or codes. */
  function* tables(seed: number, many: number, withHead: boolean, least: number): Generator<Made> {
    for (let i = 0; i < many; i++) {
      const roll = random(seed + i);
      const taken = new Set<string>();
      const columns = Array.from({ length: 1 + Math.floor(roll() * 5) }, (_, c): Column => {
        const value = c < least ? kinds[Math.floor(roll() * 4)]! : pick(roll, kinds);
        let name = pick(roll, heads);
        while (taken.has(name)) name = pick(roll, heads);
        taken.add(name);
        return { name, value };
      });
      const rows = Array.from({ length: 2 + Math.floor(roll() * 30) }, () => columns.map((c) => c.value(roll)));
      if (rows.some((r) => r.every((c) => c === ""))) continue;
      yield { rows, lines: [...(withHead ? [columns.map((c) => c.name)] : []), ...rows] };
    }
  }

  /** How often they are read right, asked about, and wrong without a word. */
  const tally = async (
    made: Iterable<Made>,
    as: (lines: string[][]) => [name: string, content: string | Uint8Array, settings?: ReadSettings],
  ): Promise<Record<"right" | "asked" | "wrong", number>> => {
    const counts = { right: 0, asked: 0, wrong: 0 };
    for (const { rows, lines } of made) {
      const part = await read(...as(lines));
      const right = part.records.length + part.unreadable.length === rows.length;
      counts[part.doubts.length > 0 ? "asked" : right ? "right" : "wrong"]++;
    }
    return counts;
  };
  const asText = (lines: string[][]): [string, string, ReadSettings] => [
    "a.csv",
    `${lines.map(quoted).join("\n")}\n`,
    { delimiter: "," },
  ];

  it.each([1000, 9000, 123_456])(
    "lose no first record and load no heading without a word, tables from %d on",
    async (seed) => {
      for (const withHead of [true, false]) {
        for (const least of [0, 1]) {
          const counts = await tally(tables(seed, 200, withHead, least), asText);
          expect(counts.wrong, JSON.stringify([withHead, least, counts])).toBe(0);
          expect(counts.right, JSON.stringify([withHead, least, counts])).toBeGreaterThan(100);
        }
      }
    },
  );

  it("nor in workbooks", async () => {
    for (const withHead of [true, false]) {
      const counts = await tally(tables(4000, 60, withHead, 0), (lines) => [
        "a.xlsx",
        workbook([
          { name: "S", rows: lines.map((l) => l.map((c) => (/^\d+(\.\d+)?$/.test(c) ? Number(c) : c || null))) },
        ]),
      ]);
      expect(counts.wrong, JSON.stringify([withHead, counts])).toBe(0);
      expect(counts.right, JSON.stringify([withHead, counts])).toBeGreaterThan(30);
    }
  });

  it("whose first records lack some values keep them", async () => {
    const lacking = await read("a.csv", ",K-7\n,K-9\n5,K-12\n,K-13\n7,K-14\n8,K-15\n");
    expect(lacking.records.map((r) => Object.values(r).at(-1))).toEqual(["K-7", "K-9", "K-12", "K-13", "K-14", "K-15"]);
    const titled = await read("a.csv", "Trees of Ashmere,\nmeasured in May,\n5,K-12\n6,K-13\n7,K-14\n8,K-15\n");
    expect(titled.records).toHaveLength(4);
    const words = await read("a.csv", "no seed\nsee sheet\nno seed\nkept dry\nsee sheet\nshared\n");
    expect(words.records.length === 6 || words.doubts.length > 0).toBe(true);
  });
});

describe("files of one delivery that differ", () => {
  const titled = `Trees of Ashmere\nof May\n${table("id,tree,mass")}`;
  const bare = "id,tree,mass\n4,yew,7\n";
  const rowsOf = async (files: Record<string, string>): Promise<[object, Record<string, string>[][]]> => {
    const found = await Promise.all(Object.entries(files).map(([name, text]) => read(name, text)));
    const lasting = lastingReadOf(
      found.map((p) => p.options as ReadOptions),
      {},
    );
    const again = await Promise.all(Object.entries(files).map(([name, text]) => read(name, text, lasting)));
    return [lasting, again.map((p) => p.records)];
  };

  it("are each read as they are: what only one of them has is not taken for all", async () => {
    const [lasting, [first, second]] = await rowsOf({ "a.csv": titled, "b.csv": bare });
    expect(lasting).toMatchObject({ as: "delimited", of_each: ["skip"] });
    expect(first).toHaveLength(3);
    expect(second).toEqual([{ id: "4", tree: "yew", mass: "7" }]);
  });

  it("also where one has no heading, or another quote", async () => {
    const [lasting, [first, second]] = await rowsOf({
      "a.csv": "id,tree\n1,'oak, old'\n2,'elm'\n3,'ash'\n",
      "b.csv": '4,"yew, young"\n5,"fir"\n6,"box"\n',
    });
    expect(lasting).toMatchObject({ of_each: ["header", "quote"] });
    expect(first!.map((r) => r["tree"])).toEqual(["oak, old", "elm", "ash"]);
    expect(second!.map((r) => r["2"])).toEqual(["yew, young", "fir", "box"]);
  });

  it("also in their format; and where they are alike, they are to stay so", async () => {
    const [lasting, [first, second]] = await rowsOf({ "a.csv": bare, "b.jsonl": '{"id":5,"tree":"fir"}\n' });
    expect(lasting).toMatchObject({ of_each: ["as"] });
    expect([first, second]).toEqual([[{ id: "4", tree: "yew", mass: "7" }], [{ id: "5", tree: "fir" }]]);
    const [alike] = await rowsOf({ "a.csv": bare, "b.csv": bare });
    expect(alike).not.toHaveProperty("of_each");
    expect(
      parsePlan({
        format: "good-sieve/plan@1",
        feed: "a",
        contract: { fields: [{ name: "id", type: "text" }] },
        load: { target: "a" },
        read: lasting,
      }).read,
    ).toEqual(lasting);
  });
});

describe("what parts cells and records is found", () => {
  it.each([
    [":", "id:tree:mass\n1:oak:12\n2:elm:11\n3:ash:9\n"],
    ["¦", "id¦tree¦mass\n1¦oak¦12\n2¦elm¦11\n3¦ash¦9\n"],
    [" ", "id tree mass\n1 oak 12\n2 elm 11\n3 ash 9\n"],
  ])("%s", async (delimiter, text) => {
    const part = await read("a.csv", text);
    expect(part.options).toMatchObject({ delimiter });
    expect(seen(part)).toEqual({ columns: ["id", "tree", "mass"], records: 3, asked: false });
  });

  it("but no colon parts times of day, or addresses of a network", async () => {
    for (const lines of [
      ["08:30:00", "09:15:30", "10:00:00"],
      ["00:1a:2b", "3c:4d:5e", "6f:70:81"],
    ]) {
      const part = await read("a.csv", `${lines.join("\n")}\n`, { header: false });
      expect(part.records.map((r) => r["1"])).toEqual(lines);
    }
  });

  it("blocks of names and values are records", async () => {
    const text =
      "id: 1\ntree: oak\nmass: 12\n\nid: 2\ntree: elm\n  and ash\nmass: 11\nid: 3\ntree: fir\nurl: https://ashmere.example\n";
    const part = await read("a.txt", text);
    expect(part.as).toBe("blocks");
    expect(part.columns).toEqual(["id", "tree", "mass", "url"]);
    expect(part.records).toEqual([
      { id: "1", tree: "oak", mass: "12" },
      { id: "2", tree: "elm\nand ash", mass: "11" },
      { id: "3", tree: "fir", url: "https://ashmere.example" },
    ]);
    expect(part.lines).toEqual([1, 5, 9]);
  });
});

describe("a file of another kind than its name says is told, and not taken for text", () => {
  it.each([
    ["a.avro", "id,name\n1,a\n"],
    ["a.parquet", "id,name\n1,a\n"],
    ["a.json", "42"],
    ["a.json", "id,name\n1,a\n"],
    ["a.xlsx", "<html><body><table><tr><td>id</td></tr></table></body></html>"],
    ["a.xls", "<table><tr><td>id</td></tr></table>"],
    ["a.csv", "<!DOCTYPE html><html><body>Not found</body></html>"],
    ["a.xml", "id,name\n1,a\n"],
    ["a.gz", "id,name\n1,a\n"],
  ])("%s that is %s", async (name, text) => {
    const { error, parts } = await readParts(memoryFile(name, text));
    expect(error).toMatchObject({ code: "other-kind" });
    expect(error!.message).toContain(name);
    expect(parts).toEqual([]);
  });

  it("unless somebody says how it is to be read, or it is empty", async () => {
    expect((await read("a.avro", "id,name\n1,a\n", { as: "delimited" })).records).toEqual([{ id: "1", name: "a" }]);
    expect((await read("a.json", "")).records).toEqual([]);
    const bare = await read("a.csv", "\ufeff");
    expect([bare.records, bare.evidence["header"]]).toEqual([[], "there is no line in it"]);
  });
});

describe("JSON that is not quite a list of objects", () => {
  it("arrays of arrays are a table with a heading, or without one", async () => {
    expect((await read("a.json", '[["id","tree"],[1,"oak"],[2,"elm","more"]]')).records).toEqual([
      { id: "1", tree: "oak" },
      { id: "2", tree: "elm", "column 3": "more" },
    ]);
    expect((await read("a.json", "[[1,2],[3,4]]")).records).toEqual([
      { "1": "1", "2": "2" },
      { "1": "3", "2": "4" },
    ]);
  });

  it("also a line each", async () => {
    expect((await read("a.jsonl", '["id","tree"]\n[1,"oak"]\n[2,"elm"]\n')).records).toEqual([
      { id: "1", tree: "oak" },
      { id: "2", tree: "elm" },
    ]);
  });

  it("a key given twice with two values holds its record, at any depth", async () => {
    const text = '{"a":1,"b":{"c":1}}\n{"a":1,"a":2}\n{"a":1,"b":{"c":1,"c":2}}\n{"a":3,"a":3}\n';
    const part = await read("a.jsonl", text);
    expect(part.records.map((r) => r["a"])).toEqual(["1", "3"]);
    expect(part.unreadable.map((u) => [u.reason, u.line])).toEqual([
      ["key-twice", 2],
      ["key-twice", 3],
    ]);
  });

  it("an object of objects is one record, which is said; a path that leads nowhere is a fault", async () => {
    const part = await read("a.json", '{"a": {"id": 1}, "b": {"id": 2}}');
    expect(part.as).toBe("json");
    expect(part.evidence["records"]).toContain("the text is one record");
    const xml = "<r><i><n>1</n></i><i><n>2</n></i></r>";
    await expect(read("a.xml", xml, { records: "/r/x" })).rejects.toMatchObject({
      code: "no-records",
      detail: "In its place there are /r/i.",
    });
    await expect(read("a.xml", xml, { records: "/s/x" })).rejects.toMatchObject({ code: "no-records" });
    expect((await read("a.xml", "<r></r>", { records: "/r/i" })).records).toEqual([]);
    await expect(read("a.json", '{"items": [{"id": 1}]}', { records: "$.rows" })).rejects.toMatchObject({
      code: "no-records",
    });
  });

  it("what JSON does not have is held or refused", async () => {
    expect((await read("a.json", '[{"a":NaN},{"a":1}]')).unreadable).toHaveLength(1);
    expect((await readParts(memoryFile("a.json", '[{"a":1}, // one\n {"a":2},]'))).error).toMatchObject({
      code: "json-broken",
    });
  });
});

describe("a sum below the records", () => {
  const plan = parsePlan({
    format: "good-sieve/plan@1",
    feed: "a",
    contract: {
      fields: [
        { name: "tree", type: "text" },
        { name: "mass", type: "decimal", precision: 8, scale: 2 },
      ],
    },
    load: { target: "a" },
    gates: [],
  });
  const failed = async (text: string, read: object = {}): Promise<string[]> => {
    const file = { name: "a.csv", bytes: new TextEncoder().encode(text) };
    const { report } = await siftAll({ ...plan, read: { ...plan.read, ...read } }, [file]);
    return report.gates.filter((g) => !g.passed).map((g) => g.message);
  };
  const trees = "tree,mass\noak,12.5\nelm,11\n";

  it("stops the load where it would be loaded as a record, until it is said what it is", async () => {
    for (const last of ["Total,23.5", "TOTAL:,23.5", "Summe,23.5", "Итого,23.5"]) {
      const [message] = await failed(`${trees}${last}\n`);
      expect(message).toContain(`its last line, ${last.replace(",", ", ")}, may be a sum of those above it`);
    }
    expect(await failed(`${trees}Total,23.5\n`, { skip_end: 1 })).toEqual([]);
  });

  it("is no record with words, one that is held, or one that is not the last", async () => {
    expect(await failed(trees)).toEqual([]);
    expect(await failed(`${trees}Total,none\n`)).toEqual([]);
    expect(await failed(`tree,mass\nTotal,23.5\noak,12.5\n`)).toEqual([]);
    expect(await failed(`${trees}Totality,23.5\n`)).toEqual([]);
  });

  it("is passed over at the end of a sheet as well", async () => {
    const bytes = workbook([
      {
        name: "S",
        rows: [
          ["tree", "mass"],
          ["oak", 12.5],
          ["elm", 11],
          ["Total", 23.5],
        ],
      },
    ]);
    const part = await read("a.xlsx", bytes, { skip_end: 1 });
    expect(part.records.map((r) => r["tree"])).toEqual(["oak", "elm"]);
    expect(part.options).toMatchObject({ skip_end: 1 });
  });
});
