import { describe, expect, it } from "vitest";
import { utf8 } from "@/core/kernel/bytes.ts";
import { arraysIn } from "@/core/read/json/format.ts";
import { formatOfText } from "@/core/read/source.ts";
import type { ReadSettings } from "@/core/read/settings.ts";
import { memoryFile, read, readParts } from "../support/formats.ts";

describe("what a text is", () => {
  it.each([
    ["a.txt", '{"a":1}\n{"b":2}', "json-lines"],
    ["a.txt", '\n {"a":1}\n\n{"b":2}', "json-lines"],
    ["a.txt", '{"a":1}', "json-lines"],
    ["a.json", '{"a":1}', "json"],
    ["a.txt", '{"x":[{"a":1}]}', "json"],
    ["a.txt", "[1,2]\n[3,4]", "json-lines"],
    ["a.txt", '[{"a":1},\n{"a":2}]', "json"],
    ["a.txt", '{"a":\n1}', "json"],
    ["a.txt", "[true, null]", "json"],
    ["a.txt", "[-1]", "json"],
    ["a.txt", "{oak, ash}\n{elm, fir}", "delimited"],
    ["a.txt", "[oak], ash", "delimited"],
    ["a.txt", '{"a":1} and\n{"b":2}', "json"],
    ["a.txt", "<a/>", "xml"],
    ["a.txt", '\ufeff\n <?xml version="1.0"?><a/>', "xml"],
    ["a.txt", "<!-- by hand --><a/>", "xml"],
    ["a.txt", "<été/>", "xml"],
    ["a.txt", "< 5,> 7\n", "delimited"],
    ["a.csv", "a,b\n1,2\n", "delimited"],
  ])("%s, %j: %s", (name, text, as) => {
    expect(formatOfText(text, name).part.id).toBe(as);
  });

  it.each([
    ["lots.xlsx", "a,b\n1,2\n", "lots.xlsx is not a workbook"],
    ["lots.csv", "<!doctype html><p>Sign in</p>", "lots.csv is not a table: it is a web page."],
    ["lots.csv", "<!-- saved --><HTML><p>Sign in</p>", "lots.csv is not a table: it is a web page."],
    ["lots.csv.gz", "a,b\n1,2\n", "lots.csv.gz is not packed: it is plain text."],
    ["lots.parquet", '{"a":1}\n', "lots.parquet is not a Parquet file"],
  ])("is not what %s promises: %j", async (name, text, says) => {
    const { error } = await readParts(memoryFile(name, text));
    expect(error).toMatchObject({ code: "other-kind", message: expect.stringContaining(says) });
    expect((error as unknown as { detail: string }).detail).toBe(`It begins with “${text.trim().split("\n")[0]}”.`);
  });

  it.each([
    ["lots.csv", '{"a":1}\n', "json-lines"],
    ["lots.xlsx", "  \n", "delimited"],
  ])("may be another kind of text than %s says, %j", async (name, text, as) => {
    expect((await read(name, text)).as).toBe(as);
  });
});

describe("JSON", () => {
  const records = async (text: string, settings: ReadSettings = {}) =>
    (await read("a.json", text, { as: "json", ...settings })).records;

  it("whose records are arrays is a table, whose first row may name the columns", async () => {
    expect(await records('[["lot","kg"],["A1",2],["A2",3,"x"]]')).toEqual([
      { lot: "A1", kg: "2" },
      { lot: "A2", kg: "3", "column 3": "x" },
    ]);
    for (const first of ['["lot","lot"]', '["lot",""]', '["lot",1]', "[]"]) {
      const all = await records(`[${first},["A1",2]]`);
      expect(Object.keys(all.at(-1)!)[0]).toBe(first === "[]" ? "column 1" : "1");
    }
  });

  it("has its records where it is said, or nearest to its root", async () => {
    const text = '{"of":"May","more":{"x":[{"n":0}]},"lots":[{"n":1},{"n":2}],"none":[]}';
    const part = await read("a.json", text);
    expect(part.records).toEqual([{ n: "1" }, { n: "2" }]);
    expect(part.evidence).toMatchObject({ records: "the first array of objects is at $.lots" });
    expect(await records(text, { records: "$.more.x" })).toEqual([{ n: "0" }]);
    expect(await records(text, { records: "$.none" })).toEqual([]);
    const { error } = await readParts(memoryFile("a.json", text), { as: "json", records: "$.seeds" });
    expect(error).toMatchObject({
      code: "no-records",
      message: "There is no array at $.seeds.",
      detail: "Arrays of objects are at $.more.x, $.lots.",
    });
  });

  it("has no records in arrays that are within others, which is said, and not offered", async () => {
    const text = '{"lots":[{"n":1,"tests":[{"d":1}]},{"n":2,"tests":[]}],"more":[{"m":1}]}';
    const part = await read("a.json", text);
    expect(part.evidence).toMatchObject({ records: "the first array of objects is at $.lots" });
    expect(arraysIn(utf8(text))).toEqual(["$.lots", "$.more"]);
    const { error } = await readParts(memoryFile("a.json", text), { as: "json", records: "$.lots.tests" });
    expect(error).toMatchObject({
      code: "no-records",
      message: "The array at $.lots.tests is within the elements of another array.",
      detail: "Arrays of objects that are not are at $.lots, $.more.",
    });
    expect(await records(text, { each: "tests" })).toEqual([{ n: "1", "tests.d": "1" }, { n: "2" }]);
  });

  it("is one record where it has no array of objects, and elements where it is one", async () => {
    const one = await read("a.json", ' {"a":1,"b":[2,3]}');
    expect([one.records, one.evidence]).toMatchObject([
      [{ a: "1", b: "2; 3" }],
      { records: "no array of objects, so the text is one record" },
    ]);
    expect(await records("\ufeff [1, 2]")).toEqual([{ value: "1" }, { value: "2" }]);
  });

  it.each([
    ['{"lots":[{"n":1},{"n":2}', "its last bracket or quote is not closed"],
    ['{"lots":[{"n":1}]', "its last bracket or quote is not closed"],
    ['{"lots":[{"n":1}],"x":"', "its last bracket or quote is not closed"],
    ['{"lots":[{"n":1}}\n', "a bracket too many in line 1"],
    ['{"lots":[{"n":1}]}\n]', "in line 2"],
  ])("that breaks off is told, with what stood before it: %j", async (text, why) => {
    const { parts, error } = await readParts(memoryFile("a.json", text), { as: "json", records: "$.lots" });
    expect(error).toMatchObject({ code: "json-broken", message: expect.stringContaining(why) });
    expect(parts[0]!.records[0]).toEqual({ n: "1" });
  });

  it("in lines has each held by itself that can't be read", async () => {
    const bytes = Buffer.concat([
      Buffer.from('{"a":1}\n{"a":2\n{"a":3,"a":4}\n \t\r\n{"a":"'),
      Buffer.of(0xe9),
      Buffer.from('"}\n{"a":5,"a":5}\n{"a":6}'),
    ]);
    const part = await read("a.jsonl", bytes, { as: "json-lines", encoding: "utf-8" });
    expect(part.records).toEqual([{ a: "1" }, { a: "5" }, { a: "6" }]);
    expect(part.unreadable.map(({ reason, line }) => [reason, line])).toEqual([
      ["not-json", 2],
      ["key-twice", 3],
      ["encoding", 5],
    ]);
    expect(part.lines).toEqual([1, 2, 3, 5, 6, 7]);
  });
});

describe("XML", () => {
  const records = async (text: string, settings: ReadSettings = {}) =>
    (await read("a.xml", text, { as: "xml", ...settings })).records;

  it("has attributes, elements and texts as columns by their paths", async () => {
    const text = `<lots>
      <lot id="A1"><tree>oak</tree><site code="N"><name>North &amp; West</name></site></lot>
      <lot id="A2">ripe<tree lang="de">Esche</tree><note><![CDATA[1 < 2]]></note><tree/></lot>
    </lots>`;
    expect(await records(text)).toEqual([
      { "@id": "A1", tree: "oak", "site.@code": "N", "site.name": "North & West" },
      { "@id": "A2", "#text": "ripe", tree: '{"@lang":"de","#text":"Esche"}; ', note: "1 < 2" },
    ]);
  });

  it("keeps apart what one record has once and another several times, whichever comes first", async () => {
    const one = "<lot><tree>oak</tree></lot>";
    const two = "<lot><tree>ash</tree><tree>elm</tree></lot>";
    expect(await records(`<l>${one}${two}${one}</l>`)).toEqual([
      { tree: "oak" },
      { tree: "ash; elm" },
      { tree: "oak" },
    ]);
    expect(await records(`<l>${two}${one}</l>`)).toEqual([{ tree: "ash; elm" }, { tree: "oak" }]);
    expect(await records(`<l>${one}${two}</l>`, { each: "tree" } as ReadSettings)).toEqual([
      { tree: "oak" },
      { tree: "ash" },
      { tree: "elm" },
    ]);
    // Of elements that have others in them as well.
    const nested = "<lot><at><n>1</n></at><at><n>2</n></at></lot>";
    expect(await records(`<l>${one}${nested}</l>`)).toEqual([{ tree: "oak" }, { at: '{"n":"1"}; {"n":"2"}' }]);
  });

  it("has as records what repeats nearest to the root", async () => {
    const found = async (text: string): Promise<string | undefined> =>
      ((await read("a.xml", text)).options as { records?: string }).records;
    expect(await found("<l><x><n>1</n></x><x><n>2</n></x></l>")).toBe("/l/x");
    expect(await found("<l><of><by>me</by></of><x><n>1</n></x><x><n>2</n></x></l>")).toBe("/l/x");
    expect(await found('<l><all><x a="1"/><x a="2"/></all></l>')).toBe("/l/all/x");
    expect(await found("<l><x>1</x><x>2</x></l>")).toBe("/l/x");
    expect(await found("<l>1</l>")).toBe("/l");
    expect(await found("<l><x><n>1</n></x></l>")).toBe("/l/x");
  });

  it("has each record's line, and its bytes for what can't be read", async () => {
    const text = "<l>\n\n<x><n>é</n></x>\n<x>\n<n>2</n>\n</x><x><n>3</n></x></l>\n";
    const { parts } = await readParts(memoryFile("a.xml", text, 5), { as: "xml", records: "/l/x" });
    expect(parts[0]!.lines).toEqual([3, 4, 6]);
    expect(parts[0]!.records.map((r) => r["n"])).toEqual(["é", "2", "3"]);
  });

  it.each([
    ["<l><y/><z/></l>", "/l/x", "There is no element at /l/x.", "In its place there are /l/y, /l/z."],
    ["<m><x/></m>", "/l/x", "There is no element at /l/x.", ""],
  ])("%s has nothing at %s", async (text, path, message, detail) => {
    const { error } = await readParts(memoryFile("a.xml", text), { as: "xml", records: path });
    expect(error).toMatchObject({ code: "no-records", message, detail });
  });

  it("may have a list with nothing in it", async () => {
    expect(await records("<l></l>", { records: "/l/x" })).toEqual([]);
    expect(await records("<a><l/></a>", { records: "/a/l/x" })).toEqual([]);
  });

  it.each([
    "<l><x><n>1</n></x><x>",
    "<l><x><n>1</n></x></m>",
    "<l><x><n>1</n></x><x a=1/></l>",
    "<l><x><n>1</n></x>&nix;</l>",
  ])("that can't be understood is told, with what stood before it: %s", async (text) => {
    const { parts, error } = await readParts(memoryFile("a.xml", text), { as: "xml", records: "/l/x" });
    expect(error).toMatchObject({ code: "xml-broken" });
    expect(parts[0]!.records).toEqual([{ n: "1" }]);
  });

  it("is not read where it is nested beyond all measure", async () => {
    const deep = (n: number): string => `<l><x>${"<a>".repeat(n)}${"</a>".repeat(n)}</x><x><n>2</n></x></l>`;
    expect((await records(deep(30), { records: "/l/x" })).at(-1)).toEqual({ n: "2" });
    const { error } = await readParts(memoryFile("a.xml", deep(60_000)), { as: "xml", records: "/l/x" });
    expect(error).toMatchObject({
      code: "xml-broken",
      detail: expect.stringContaining("elements are nested more than"),
    });
  });
});
