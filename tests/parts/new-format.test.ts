import { createElement } from "react";
import { renderToStaticMarkup } from "react-dom/server";
import { describe, expect, it, vi } from "vitest";
import { z } from "zod";
import type { FormatPart, Reader } from "@/core/read/part.ts";
import { TEXT_SETTINGS } from "@/core/read/settings.ts";

/** A file format is a folder, a line for what is known of it and one for its reader. */

const { BlockBuilder } = await import("@/core/read/builder.ts");

const mark = z.string().length(1).optional().describe("What stands between records");

/** Records of one cell, with a mark between them. */
const reader = (id: string): Reader => ({
  isSo: (text) => (text.startsWith("marked:") ? "it begins with its name" : null),
  async *open(source, settings, context) {
    let text = "";
    for await (const chunk of source.chunks()) text += new TextDecoder().decode(chunk);
    const between = (settings["mark"] as string | undefined) ?? "/";
    const builder = new BlockBuilder(context.part);
    const records = text.slice(text.indexOf(":") + 1).split(between);
    records.forEach((value, i) => builder.add([value], 1, { line: i + 1, start: 0, end: 0 }, value));
    const block = builder.take()!;
    yield {
      name: source.name,
      options: { as: id, mark: between },
      evidence: { mark: "the usual one" },
      columns: () => ["value"],
      blocks: (async function* () {
        yield await Promise.resolve(block);
      })(),
      resumable: false,
    };
  },
});
const text: FormatPart = {
  id: "text",
  title: "Marked text",
  settings: { ...TEXT_SETTINGS, mark },
  promised: { ends: /\.marked$/i, is: "a marked file" },
};
const binary: FormatPart = {
  id: "binary",
  title: "Marked binary",
  settings: { mark },
  begins: { with: "MARK", why: "it begins with MARK" },
};

vi.mock("@/core/read/readers.ts", async (original) => {
  const { READERS } = await original<typeof import("@/core/read/readers.ts")>();
  return { READERS: { ...READERS, text: reader("text"), binary: reader("binary") } };
});
vi.mock("@/core/read/formats.ts", async (original) => {
  const { FORMATS } = await original<typeof import("@/core/read/formats.ts")>();
  return { FORMATS: [...FORMATS, text, binary] };
});

const { planJsonSchema } = await import("@/core/plan/schema.ts");
const { readSettingsSchema } = await import("@/core/read/schema.ts");
const { readWords } = await import("@/ui/kit/words.ts");
const { ReadForm } = await import("@/ui/plan/read/read-form.tsx");
const { read } = await import("../support/formats.ts");
const { planOf } = await import("../support/plans.ts");
const { csv, siftAll } = await import("../support/sift.ts");

describe("a file format that was added", () => {
  it("stands in the plan's schema, with its settings held to what they may be", () => {
    expect(JSON.stringify(planJsonSchema())).toContain("What stands between records");
    const fields = [{ name: "value", type: "text" }];
    expect(planOf(fields, { read: { as: "text", mark: "+" } }).read).toEqual({
      as: "text",
      encoding: "auto",
      mark: "+",
    });
    expect(() => planOf(fields, { read: { as: "text", mark: "++" } })).toThrow();
    expect(() => planOf(fields, { read: { as: "avro", mark: "+" } })).toThrow();
    expect(readSettingsSchema.parse({ as: "binary", mark: "-" })).toEqual({ as: "binary", mark: "-" });
  });
  it("is told from others by its text, by its first bytes, and by what a file is called", async () => {
    const found = await read("a.marked", "marked:x/y");
    expect(found.options).toEqual({ as: "text", encoding: "utf-8", mark: "/" });
    expect(found.evidence).toMatchObject({ format: "it begins with its name", mark: "the usual one" });
    expect(found.records).toEqual([{ value: "x" }, { value: "y" }]);
    const bytes = await read("a.csv", "MARK:x/y/z");
    expect(bytes.options).toEqual({ as: "binary", mark: "/" });
    expect(bytes.evidence["format"]).toBe("it begins with MARK");
    await expect(read("a.marked", "a,b\n1,2\n")).rejects.toThrow("a.marked is not a marked file: it is plain text.");
  });
  it("goes through a course", async () => {
    const plan = planOf([{ name: "value", type: "text" }], { read: { as: "text", mark: "+" } });
    const { records } = await siftAll(plan, [csv("marked:x+y+z", "a.marked")]);
    expect(records.map((r) => r.values)).toEqual([["x"], ["y"], ["z"]]);
  });
  it("has its settings in the form, and words of its own", () => {
    const html = renderToStaticMarkup(
      createElement(ReadForm, { read: { as: "text", mark: "+" }, set: () => undefined, evidence: { mark: "as set" } }),
    );
    expect(html).toContain(">Marked text</option>");
    expect(html).toMatch(/<label[^>]*>mark<\/label>.*title="What stands between records".*value="\+".*as set/);
    expect(html).toContain(">encoding</label>");
    expect(html).not.toContain("lines to pass over");
    expect(readWords({ as: "binary" })).toBe("Marked binary");
  });
});
