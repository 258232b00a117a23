import iconv from "iconv-lite";
import { describe, expect, it } from "vitest";
import { compilePlan } from "@/core/course/compile.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { charactersOf, decodeText, isManyBytes } from "@/core/read/encoding/decode.ts";
import { encodingFor } from "@/core/read/encoding/detect.ts";
import { ENCODINGS, encodingOf, findEncoding } from "@/core/read/encoding/names.ts";
import { judgeGates } from "@/core/report/judge.ts";
import { read } from "../support/formats.ts";
import { random } from "../support/random.ts";
import { OTHERS, WRITTEN, encodeText, fileIn, type Written } from "../support/written.ts";

const CASES = WRITTEN.flatMap((written) => written.encodings.map((encoding) => ({ written, encoding })));

/** What came of reading some bytes without being told how. */
function outcomeOf(bytes: Uint8Array, truth: string): "right" | "right and doubtful" | "doubtful" | "wrong" {
  const { encoding, doubt } = encodingFor(bytes, true, "auto");
  const right = decodeText(bytes, encoding).normalize("NFC") === truth;
  return right ? (doubt ? "right and doubtful" : "right") : doubt ? "doubtful" : "wrong";
}

describe("an encoding that is found out", () => {
  it("is right, or said to be doubtful, for eighty pairs of a language and an encoding", () => {
    for (const records of [2, 4, 8, 40]) {
      const outcomes = CASES.map(({ written, encoding }) => {
        const bytes = fileIn(written, encoding, records);
        return [written.language, encoding, outcomeOf(bytes, decodeText(bytes, encoding).normalize("NFC"))].join(" ");
      });
      expect(outcomes.filter((o) => o.endsWith("wrong"))).toEqual([]);
      expect(outcomes).toHaveLength(80);
      // Nine in ten are right as soon as there are some words, and one in ten is asked about at most.
      const wrongly = outcomes.filter((o) => / doubtful$/.test(o) && !o.endsWith("and doubtful")).length;
      expect(wrongly).toBeLessThanOrEqual(records < 8 ? 4 : 2);
      if (records >= 8) expect(outcomes.filter((o) => o.endsWith(" right")).length).toBeGreaterThan(70);
    }
  });

  it("is right, or said to be doubtful, also for other languages, and for texts of marks, capitals or several languages", () => {
    const outcomes = OTHERS.flatMap((written) =>
      written.encodings.map((encoding) => {
        const bytes = fileIn(written, encoding, written.lines.length);
        const outcome = outcomeOf(bytes, decodeText(bytes, encoding).normalize("NFC"));
        return [written.language, encoding, outcome].join(" ");
      }),
    );
    expect(outcomes.filter((o) => o.endsWith("wrong"))).toEqual([]);
    expect(outcomes.filter((o) => o.endsWith(" right")).length).toBeGreaterThan(outcomes.length * 0.55);
  });

  it("is asked about where a word or two is all there is, and hardly ever wrong without a word", () => {
    const roll = random(5);
    const of = ({ lines, language }: Written, n: number, capitals: boolean): string =>
      Array.from({ length: n }, () => {
        const text = lines[Math.floor(roll() * lines.length)]!;
        return `A${Math.floor(roll() * 900)};${capitals ? text.toLocaleUpperCase(language === "Turkish" ? "tr" : "en") : text}\n`;
      }).join("");
    let all = 0;
    let wrong = 0;
    for (const capitals of [false, true]) {
      for (const n of [1, 2, 3]) {
        for (const { written, encoding } of CASES) {
          const bytes = encodeText(`code;remark\n${of(written, n, capitals)}`, encoding);
          all++;
          if (outcomeOf(bytes, decodeText(bytes, encoding).normalize("NFC")) === "wrong") wrong++;
        }
      }
    }
    expect(all).toBe(480);
    expect(wrong).toBeLessThanOrEqual(2);
  });

  it("makes nothing of a text without a sign of it, and shows words in both readings where it asks", () => {
    expect(encodingFor(new TextEncoder().encode("id,name\n1,plain\n"), true, "auto")).toMatchObject({
      encoding: "utf-8",
    });
    const { doubt } = encodingFor(encodeText("id,name\n1,Ştefan\n", "windows-1250"), true, "auto");
    expect(doubt).toMatchObject({ setting: "encoding", readings: [{ value: "windows-1250", shows: ["Ştefan"] }, {}] });
    expect(doubt!.readings[1]!.shows).toHaveLength(1);
    expect(doubt!.readings[1]!.shows).not.toEqual(["Ştefan"]);
  });

  it("is UTF-16 or UTF-32 by what the bytes are two or four at a time, with a mark or without", () => {
    const texts = ["id,name\n1,Анна\n2,Пётр\n", "id,name\n1,山田太郎\n2,佐藤花子\n", "id,name\n1,Hélène\n"];
    for (const text of texts) {
      for (const encoding of ["utf-16le", "utf-16be", "utf-32le", "utf-32be"] as const) {
        for (const mark of ["", "\ufeff"]) {
          const bytes = new Uint8Array(iconv.encode(mark + text, encoding, { addBOM: false }));
          expect([encoding, mark, encodingFor(bytes, true, "auto").encoding]).toEqual([encoding, mark, encoding]);
          expect(decodeText(bytes, encoding)).toBe(text);
        }
      }
    }
  });

  it("is not UTF-16 for a nought or two in a text of single bytes", async () => {
    for (const text of ["f0\n\0\t", "id,name\n1,a\0b\n2,cd\n", "id,name\n1,\0\0\n2,ab\n3,cd\n4,efgh\n"]) {
      expect(encodingFor(new TextEncoder().encode(text.padEnd(60, "plain,")), true, "auto").encoding).toBe("utf-8");
    }
  });

  it("is refused by name where nothing here can read it", () => {
    const korean = Uint8Array.from([0x1b, 0x24, 0x29, 0x43, 0x0e, 0x30, 0x21, 0x0f, 0x0a]);
    expect(() => encodingFor(korean, true, "auto")).toThrow("ISO-2022-KR");
  });
});

describe("an encoding of which the beginning tells nothing", () => {
  it("is found from the first letters that are not ASCII, however far down", async () => {
    const plain = `id,name\n${"1,plain\n".repeat(40_000)}`;
    const russian = WRITTEN.find((w) => w.language === "Russian")!;
    const bytes = encodeText(plain + russian.lines.map((l) => `2,"${l}"\n`).join(""), "windows-1251");
    const part = await read("a.csv", bytes);
    expect(part.options).toMatchObject({ encoding: "windows-1251" });
    expect(part.records.slice(-8).map((r) => r["name"])).toEqual(russian.lines);
    expect(part.unreadable).toEqual([]);
    expect((await read("a.csv", new TextEncoder().encode(`${plain}2,Пётр\n`))).options).toMatchObject({
      encoding: "utf-8",
    });
  });
});

describe("an encoding that a file says it has", () => {
  it("holds, also where the beginning is ASCII alone and other letters come far down", async () => {
    const plain = `<?xml version="1.0" encoding="koi8-r"?>\n<r>${"<i><n>plain</n></i>".repeat(8000)}`;
    const part = await read("a.xml", encodeText(`${plain}<i><n>лес</n></i></r>`, "koi8-r"));
    expect(part.evidence["encoding"]).toBe("declared in the file");
    expect(part.records.at(-1)).toEqual({ n: "лес" });
  });
});

describe("an encoding that is given", () => {
  it("reads each of eighty files right, record by record", async () => {
    for (const { written, encoding } of CASES) {
      const part = await read("a.csv", fileIn(written, encoding, 8), { encoding });
      expect([encoding, part.unreadable]).toEqual([encoding, []]);
      const names = part.records.map((r) => r["name"]!.normalize("NFC"));
      const comma =
        encoding === "iso-8859-16"
          ? (t: string) => t.replaceAll("ş", "ș").replaceAll("ţ", "ț").replaceAll("Ş", "Ș").replaceAll("Ţ", "Ț")
          : (t: string) => t;
      expect(names).toEqual(written.lines.map((l) => comma(l).normalize("NFC")));
    }
  });

  it("is known by any usual name", () => {
    for (const encoding of ENCODINGS) expect(encodingOf(encoding.toUpperCase())).toBe(encoding);
    expect(
      ["cp1251", "x-cp1251", "win-1251", "1251", "ks_c_5601-1987", "cp949", "Latin5", "ISO_8859-2", "iso8859-7"].map(
        findEncoding,
      ),
    ).toEqual([
      ...["windows-1251", "windows-1251", "windows-1251", "windows-1251", "euc-kr", "euc-kr"],
      ...["windows-1254", "iso-8859-2", "iso-8859-7"],
    ]);
    expect(
      ["UTF8", "utf-8-sig", "unicode-1-1-utf-8", "gb2312", "csBig5", "cp866", "IBM850", "MS932"].map(findEncoding),
    ).toEqual([...["utf-8", "utf-8", "utf-8", "gb18030", "big5", "ibm866", "cp850", "shift_jis"]]);
    expect(
      ["x-mac-ce", "macroman", "KOI8-R", "windows-28592", "cp10007", "klingon", "cp1", ""].map(findEncoding),
    ).toEqual([...["maccenteuro", "macintosh", "koi8-r", "iso-8859-2", "x-mac-cyrillic", null, null, null]]);
    expect(parsePlan({ ...plan, read: { as: "delimited", encoding: "cp1251" } }).read).toMatchObject({
      encoding: "windows-1251",
    });
  });

  it("has ASCII below 128, and no character for a byte that it leaves undefined", () => {
    for (const encoding of ENCODINGS) {
      if (encoding.startsWith("utf-") || isManyBytes(encoding)) continue;
      const characters = charactersOf(encoding);
      expect([encoding, characters.slice(32, 127).join("")]).toEqual([
        encoding,
        Array.from({ length: 95 }, (_, i) => String.fromCharCode(i + 32)).join(""),
      ]);
      for (const c of characters.slice(128)) expect(c === null || !/[\u0080-\u009f\ufffd]/.test(c)).toBe(true);
    }
    expect(charactersOf("windows-1253")[0xd2]).toBeNull();
    expect(charactersOf("windows-1252")[0x80]).toBe("€");
  });

  it("holds the whole file to what is said: a record with a byte that is no character is not read", async () => {
    const bytes = encodeText("id,name\n1,Άννα\n2,Βέτα\n", "windows-1253");
    bytes[bytes.length - 2] = 0xd2;
    const part = await read("a.csv", bytes, { encoding: "windows-1253" });
    expect(part.records.map((r) => r["name"])).toEqual(["Άννα"]);
    expect(part.unreadable).toHaveLength(1);
  });
});

const plan = {
  format: "good-sieve/plan@1",
  feed: "a",
  contract: { fields: [{ name: "id", type: "text" }] },
  load: { target: "a" },
  gates: [],
};

describe("a doubtful reading", () => {
  it("stops a load, in words that show both readings; one that is said does not", () => {
    const input = {
      ...{ read: 1, held: 0, filled: [], history: [], figures: [], controls: [], received: null },
      ...{ problems: new Map<string, number>(), drift: [] },
    };
    const { doubt } = encodingFor(encodeText("id,name\n1,Ştefan\n", "windows-1250"), true, "auto");
    const file = { name: "a.csv", columns: ["id"], missing: [], extra: [] };
    const judged = judgeGates(compilePlan(parsePlan(plan)), { ...input, files: [{ ...file, doubts: [doubt!] }] });
    expect(judged).toMatchObject([{ gate: "reading in doubt", passed: false }]);
    expect(judged[0]!.message).toContain("a.csv: its encoding may be windows-1250, which reads Ştefan, or ");
    expect(judgeGates(compilePlan(parsePlan(plan)), { ...input, files: [file] })).toEqual([]);
    expect(encodingFor(encodeText("id,name\n1,Ştefan\n", "windows-1250"), true, "windows-1250").doubt).toBeUndefined();
  });
});
